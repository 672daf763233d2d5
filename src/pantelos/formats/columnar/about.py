"""What the format is, and how it is told from others."""

from pantelos.formats.format import Format

COLUMNAR = Format(
    id="columnar",
    title="Parquet, Arrow",
    suffixes=(".parquet", ".arrow", ".feather"),
    home="columnar",
    name="columnar",
    written=(".parquet", ".arrow"),
    recognise=lambda head: head[:4] == b"PAR1" or head[:6] == b"ARROW1",
    place=3,
)
