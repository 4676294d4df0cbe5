"""References, clips and palettes, and the targets that are blended from them."""
