"""Where a recording lies in the record."""

import msgspec


class Placement(msgspec.Struct, frozen=True):
    """Where a recording lies in the record."""

    offset_s: float = 0.0  # added to its own time
    behind: bool = False  # its columns go on where those of the same names end; otherwise they stand beside them
