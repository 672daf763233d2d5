"""What the format is, and how it is told from others."""

from pantelos.formats.format import Format

MAGIC = b"PANTELOS RECORDING 1 "
RECORDED = Format(
    id="recorded",
    title="recording of a recorder",
    suffixes=(".recording",),
    home="recorded",
    name="recorded",
    written=(),
    recognise=lambda head: head.startswith(MAGIC),
    place=3,
)
