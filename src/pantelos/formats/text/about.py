"""What the format is, and how it is told from others."""

from pantelos.formats.format import Format

TEXT = Format(
    id="delimited",
    title="Text",
    suffixes=(".csv", ".tsv", ".txt"),
    home="text",
    name="text",
    written=(".csv", ".tsv"),
    recognise=lambda head: b"\0" not in head or head[:2] in (b"\xff\xfe", b"\xfe\xff"),  # whatever is not binary
    place=99,
)
