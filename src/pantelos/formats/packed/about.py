"""What the format is, and how it is told from others."""

from pantelos.formats.format import Format
from pantelos.formats.kinds import ZIPPED
from pantelos.formats.text.inside import is_packed

PACKED = Format(
    id="packed",
    title="Packed text",
    suffixes=(".gz", ".zst", ".bz2", ".xz", ".zip"),
    home="packed",
    name="packed",
    written=(".csv.gz", ".csv.zst"),
    recognise=lambda head: is_packed(head) or head.startswith(ZIPPED),
    place=11,
)
