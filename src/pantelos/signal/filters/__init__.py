"""Filters, and fewer samples."""
