"""Parquet and Arrow IPC (Feather): tables of columns."""
