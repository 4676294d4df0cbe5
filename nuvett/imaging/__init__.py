"""Files to arrays and back: decoding, colour profiles, proxies, encoding, metadata."""

import pyvips

# libvips would keep whole pictures of its last hundred operations, and answer from memory for a file that was replaced.
pyvips.cache_set_max(0)
