"""The engine: what can be computed of a study and its record."""
