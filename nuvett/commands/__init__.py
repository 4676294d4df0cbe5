"""What commands of the command line share, and those that concern an installation."""
