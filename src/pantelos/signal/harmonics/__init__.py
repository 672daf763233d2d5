"""Orders, groups and sequences over whole cycles."""
