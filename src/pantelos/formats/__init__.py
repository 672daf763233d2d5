"""One module per file format, found through one tuple."""

from pathlib import Path

from pantelos.errors import access_error
from pantelos.formats.columnar import FORMAT as COLUMNAR
from pantelos.formats.comtrade import FORMAT as COMTRADE
from pantelos.formats.delimited import FORMAT as DELIMITED
from pantelos.formats.format import Format
from pantelos.formats.numpy_file import FORMAT as NUMPY
from pantelos.formats.wav import FORMAT as WAV

# The first one that recognises a file reads it, then the one its suffix names; text takes whatever is left.
FORMATS: tuple[Format, ...] = (WAV, NUMPY, COLUMNAR, COMTRADE, DELIMITED)


def format_of(path: Path) -> Format:
    """Return the format of a file, by its first bytes; by its suffix where those say nothing.

    Raises
    ------
    FileAccessError
        When it cannot be read.
    """
    try:
        with path.open("rb") as file:
            head = file.read(64)
    except OSError as cause:
        raise access_error(path, "read", cause) from cause
    for candidate in FORMATS:
        if head and candidate is not DELIMITED and candidate.recognise(head):
            return candidate
    named = next((known for known in FORMATS if path.suffix.lower() in known.suffixes), DELIMITED)
    return DELIMITED if named is not COMTRADE and head and DELIMITED.recognise(head) else named
