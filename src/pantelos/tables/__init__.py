"""Tables as values, and the files they are handed over in."""
