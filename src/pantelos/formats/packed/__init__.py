"""Packed text: gzip, Zstandard, bzip2, xz, or alone in a ZIP."""
