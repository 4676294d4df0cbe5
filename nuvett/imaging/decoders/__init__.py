"""One module for each way of decoding picture files; `nuvett.imaging.decode` puts them in order."""
