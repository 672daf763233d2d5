"""One package per file format, found through the registry."""
