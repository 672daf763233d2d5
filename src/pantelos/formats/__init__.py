"""One module or package per file format, found through one tuple."""

from pathlib import Path

from pantelos.errors import access_error
from pantelos.formats.columnar import FORMAT as COLUMNAR
from pantelos.formats.comtrade import FORMAT as COMTRADE
from pantelos.formats.format import Format
from pantelos.formats.hdf5 import FORMAT as HDF5
from pantelos.formats.numpy_file import FORMAT as NUMPY
from pantelos.formats.text import FORMAT as TEXT
from pantelos.formats.wav import FORMAT as WAV

# The first one that recognises a file reads it, then the one its suffix names; text takes whatever is left.
FORMATS: tuple[Format, ...] = (WAV, NUMPY, COLUMNAR, HDF5, COMTRADE, TEXT)


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
        if head and candidate is not TEXT and candidate.recognise(head):
            return candidate
    named = next((known for known in FORMATS if path.suffix.lower() in known.suffixes), TEXT)
    return TEXT if named is not COMTRADE and head and TEXT.recognise(head) else named
