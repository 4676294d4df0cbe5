"""The hard run: hostile files, odd requests, kills at any moment and a full disk, against a copy on loopback."""
