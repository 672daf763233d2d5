"""What the format is, and how it is told from others."""

from pantelos.formats.comtrade.companions import files_beside
from pantelos.formats.format import Format

COMTRADE = Format(
    id="comtrade",
    title="COMTRADE",
    suffixes=(".cfg", ".cff"),
    home="comtrade",
    name="comtrade",
    written=(".cfg", ".cff"),
    recognise=lambda head: head.lstrip().lower().startswith(b"--- file type"),
    beside=files_beside,
    place=5,
)
