"""One module for each way of decoding picture files; `registry` puts them in order."""
