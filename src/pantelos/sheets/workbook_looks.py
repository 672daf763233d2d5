"""The formats of a workbook, few, and each made once."""

from typing import Any


class Looks:
    """Returns the format of a look."""

    def __init__(self, book: Any) -> None:
        self._book = book
        self._made: dict[tuple[tuple[str, Any], ...], Any] = {}

    def __call__(self, **look: Any) -> Any:
        """Return the format with these properties, the rest as everywhere in the book."""
        key = tuple(sorted(look.items()))
        if key not in self._made:
            self._made[key] = self._book.add_format({"font_name": "Arial", "font_size": 10, "valign": "top", **look})
        return self._made[key]
