"""COMTRADE (IEEE C37.111): configuration and data, in two files or in one."""

from pantelos.formats.comtrade.reader import preview_comtrade, read_comtrade
from pantelos.formats.comtrade.writer import write_comtrade
from pantelos.formats.format import Format

FORMAT = Format(
    id="comtrade",
    title="COMTRADE",
    suffixes=(".cfg", ".cff"),
    recognise=lambda head: head.lstrip().lower().startswith(b"--- file type"),
    preview=preview_comtrade,
    read=read_comtrade,
    write=write_comtrade,
    written=(".cfg", ".cff"),
)
