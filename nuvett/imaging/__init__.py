"""Files to arrays and back: decoding, colour profiles, proxies, encoding, metadata."""
