"""Text: columns of numbers, delimited or aligned, in whatever way recorders and spreadsheets write them."""

from pantelos.formats.text.reader import FORMAT

__all__ = ["FORMAT"]
