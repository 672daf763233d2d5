"""Text: columns of numbers, delimited or aligned, in whatever way recorders and spreadsheets write them."""

from pantelos.formats.format import Format
from pantelos.formats.text.preview import preview_text
from pantelos.formats.text.reader import read_text
from pantelos.formats.text.writer import write_text

FORMAT = Format(
    id="delimited",
    title="Text",
    suffixes=(".csv", ".tsv", ".txt"),
    recognise=lambda head: b"\0" not in head or head[:2] in (b"\xff\xfe", b"\xfe\xff"),  # whatever is not binary is tried as text
    preview=preview_text,
    read=read_text,
    write=write_text,
    written=(".csv", ".tsv"),
)
