"""Finished tables and sheets as values, and the files they are written to. Nothing here knows a study."""
