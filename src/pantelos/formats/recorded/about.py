"""What the format is, and how it is told from others."""

from pantelos.formats.format import Format
from pantelos.formats.recorded.companions import files_beside

MAGIC = b"PANTELOS RECORDING "
RECORDED = Format(
    id="recorded",
    title="recording of a recorder",
    suffixes=(".recording",),
    home="recorded",
    name="recorded",
    written=(),
    recognise=lambda head: head.startswith(MAGIC),
    beside=files_beside,
    place=3,
)
