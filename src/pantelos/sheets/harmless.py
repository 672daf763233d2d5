"""Texts that no spreadsheet takes for a formula."""

FORMULA_SIGNS = ("=", "+", "-", "@", "\t", "\r", "'")


def harmless(text: str) -> str:
    """Return a text with an apostrophe before it where a spreadsheet would take it for a formula, or for one already marked."""
    return f"'{text}" if text[:1] in FORMULA_SIGNS else text


def as_written(cell: str) -> str:
    """Return the text that `harmless` was given: what reads a table of ours takes the mark off again."""
    return cell[1:] if cell[:1] == "'" and cell[1:2] in FORMULA_SIGNS else cell
