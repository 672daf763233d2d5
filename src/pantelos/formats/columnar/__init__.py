"""Parquet and Arrow IPC (Feather): tables of columns."""

from pantelos.formats.columnar.reader import preview_columnar, read_columnar
from pantelos.formats.columnar.writer import write_columnar
from pantelos.formats.format import Format

FORMAT = Format(
    id="columnar",
    title="Parquet, Arrow",
    suffixes=(".parquet", ".arrow", ".feather"),
    recognise=lambda head: head[:4] == b"PAR1" or head[:6] == b"ARROW1",
    preview=preview_columnar,
    read=read_columnar,
    write=write_columnar,
    written=(".parquet", ".arrow"),
)
