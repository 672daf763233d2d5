"""The document: an immutable Study, operations on it, its file, and the engine that computes what it asks for."""
