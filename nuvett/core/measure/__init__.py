"""What is measured of clouds of colours."""
