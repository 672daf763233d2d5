"""The function tables of the documentation, made from the registry."""

import sys
from collections.abc import Iterator
from pathlib import Path

from pantelos.formula.functions import all_functions

BEGIN, END = "<!-- functions: made by `make docs` -->", "<!-- end of functions -->"


def function_tables() -> str:
    """Return all functions by category, a table each: call, what it does, an example."""
    return "\n".join(_lines())


def _lines() -> Iterator[str]:
    functions = all_functions()
    for category in dict.fromkeys(function.category for function in functions):
        yield f"### {category[:1].upper()}{category[1:]}\n"
        yield "| function | does | example |\n|---|---|---|"
        for function in functions:
            if function.category == category:
                said = function.help.replace("|", "\\|")
                yield f"| `{function.call}` | {said} | `{function.example}` |"
        yield ""


def with_tables(page: str) -> str:
    """Return a page with the tables between its marks made anew.

    Raises
    ------
    ValueError
        When the page has no marks.
    """
    before, found, rest = page.partition(BEGIN)
    _, ended, after = rest.partition(END)
    if not found or not ended:
        raise ValueError("the page has no marks for the tables of functions")
    return f"{before}{BEGIN}\n\n{function_tables()}\n{END}{after}"


if __name__ == "__main__":
    path = Path(sys.argv[1])
    path.write_text(with_tables(path.read_text(encoding="utf-8")), encoding="utf-8")
