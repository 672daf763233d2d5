"""Recordings of a recorder: a header and rows of numbers, readable while they grow."""
