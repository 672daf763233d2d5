"""The registry: adding a file format is one entry here and a package beside it."""

from pathlib import Path

from pantelos.errors import access_error
from pantelos.formats.comtrade.companions import files_beside
from pantelos.formats.format import Format
from pantelos.registry import Registry

TEXT = Format(
    id="delimited",
    title="Text",
    suffixes=(".csv", ".tsv", ".txt"),
    home="text",
    name="text",
    written=(".csv", ".tsv"),
    recognise=lambda head: b"\0" not in head or head[:2] in (b"\xff\xfe", b"\xfe\xff"),  # whatever is not binary is tried as text
)
_COMTRADE = Format(
    id="comtrade",
    title="COMTRADE",
    suffixes=(".cfg", ".cff"),
    home="comtrade",
    name="comtrade",
    written=(".cfg", ".cff"),
    recognise=lambda head: head.lstrip().lower().startswith(b"--- file type"),
    beside=files_beside,
)
# The first one that recognises a file reads it, then the one its suffix names; text takes whatever is left.
FORMATS: Registry[Format] = Registry(
    "file format",
    lambda known: known.id,
    (
        Format(
            id="wav",
            title="WAV",
            suffixes=(".wav", ".rf64", ".bw64"),
            home="wav",
            name="wav",
            written=(".wav",),
            recognise=lambda head: head[:4] in (b"RIFF", b"RF64", b"BW64") and head[8:12] == b"WAVE",
        ),
        Format(
            id="numpy",
            title="NPY, NPZ",
            suffixes=(".npy", ".npz"),
            home="numpy_file",
            name="numpy",
            written=(".npz", ".npy"),
            recognise=lambda head: head[:6] == b"\x93NUMPY" or (head[:4] == b"PK\x03\x04" and b".npy" in head),
        ),
        Format(
            id="columnar",
            title="Parquet, Arrow",
            suffixes=(".parquet", ".arrow", ".feather"),
            home="columnar",
            name="columnar",
            written=(".parquet", ".arrow"),
            recognise=lambda head: head[:4] == b"PAR1" or head[:6] == b"ARROW1",
        ),
        Format(
            id="hdf5",
            title="HDF5",
            suffixes=(".h5", ".hdf5", ".hdf"),
            home="hdf5",
            name="hdf5",
            written=(".h5",),
            recognise=lambda head: head[:8] == b"\x89HDF\r\n\x1a\n",
        ),
        _COMTRADE,
        TEXT,
    ),
)


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
    return TEXT if named is not _COMTRADE and head and TEXT.recognise(head) else named


def format_named(id_: str) -> Format:
    """Return the format of that id."""
    return FORMATS[id_]
