"""The documentation as it ships with the program: pages, what they say, and where a word stands in them."""

import re
from pathlib import Path

import msgspec

_FOLDER = Path(__file__).parent / "help"
# In the order in which they are read; what is for developers stays out.
_SHOWN = (
    *("user-guide", "formula-language", "spectra", "events", "quality", "limit-sets", "report", "campaigns", "recorder"),
    *("formats", "accuracy", "demo", "command-line", "study-format", "library"),
)
_SHORTEST = 2


class HelpPage(msgspec.Struct, frozen=True):
    """One page: its name, its title, its text in Markdown."""

    name: str
    title: str
    text: str


class FoundPassage(msgspec.Struct, frozen=True):
    """A place in a page: the heading above it, and the line."""

    page: HelpPage
    heading: str
    line: str


def help_pages() -> list[HelpPage]:
    """Return all pages that are there."""
    found = []
    for name in _SHOWN:
        path = _FOLDER / f"{name}.md"
        if path.exists():
            text = path.read_text(encoding="utf-8")
            first = text.lstrip().split("\n", 1)[0]
            found.append(HelpPage(name, first.lstrip("# ").strip() or name, text))
    return found


def _plain(line: str) -> str:
    """Return a line without the marks of Markdown."""
    return " ".join(re.sub(r"\[([^\]]*)\]\([^)]*\)", r"\1", re.sub(r"[*`#|]|^\s*-", " ", line)).split())


def search_pages(pages: list[HelpPage], text: str) -> list[FoundPassage]:
    """Return the lines that hold every word of a text, headings first."""
    words = text.lower().split()
    if not words or max(map(len, words)) < _SHORTEST:
        return []
    in_headings, in_lines = list[FoundPassage](), list[FoundPassage]()
    for page in pages:
        heading = page.title
        for line in page.text.splitlines():
            is_heading = line.startswith("#")
            heading = line.lstrip("# ").strip() if is_heading else heading
            if all(word in line.lower() for word in words):
                (in_headings if is_heading else in_lines).append(FoundPassage(page, heading, _plain(line)))
    return in_headings + in_lines
