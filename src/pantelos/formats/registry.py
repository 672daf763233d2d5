"""The file formats: a folder each, found here by its `about`."""

from pathlib import Path

from pantelos.errors import FormatError, access_error
from pantelos.formats.comtrade.about import COMTRADE
from pantelos.formats.format import Format
from pantelos.formats.kinds import kind_of
from pantelos.formats.text.about import TEXT
from pantelos.registry import Registry

# The first one that recognises a file reads it, then the one its suffix names; text takes whatever is left.
FORMATS = Registry.of_modules("file format", Format, "pantelos.formats", "formats", module="about")


def format_of(path: Path) -> Format:
    """Return the format of a file, by its first bytes; by its suffix where those say nothing.

    Raises
    ------
    FileAccessError
        When it cannot be read.
    FormatError
        When it is called like another format than its first bytes are of.
    """
    try:
        with path.open("rb") as file:
            head = file.read(512)
            hidden = next((known for known in FORMATS if known.further_in(file)), None)
    except OSError as cause:
        raise access_error(path, "read", cause) from cause
    for candidate in FORMATS:
        if head and candidate is not TEXT and candidate.recognise(head):
            return candidate
    if hidden is not None:
        return hidden
    named = next((known for known in FORMATS if known.claimed_by(path)), TEXT)
    if named not in (TEXT, COMTRADE) and head:  # it claims to be what its first bytes are not
        kind = kind_of(head) or ("text" if head.isascii() and b"\0" not in head else "something else")
        raise FormatError(
            path, f"it is called like {named.title}, but begins like {kind}", named.title, "Rename it, or export it again."
        )
    return named


def files_beside(path: Path) -> tuple[Path, ...]:
    """Return the files that a recording is made of beside its own."""
    return next((known.beside(path) for known in FORMATS if known.claimed_by(path)), ())


def format_named(id_: str) -> Format:
    """Return the format of that id."""
    return FORMATS[id_]
