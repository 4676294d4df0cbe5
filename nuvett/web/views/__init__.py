"""What templates are handed: plain values for screens, and how they are written."""
