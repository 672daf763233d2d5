"""Flicker."""

from pantelos.reading import flicker
from pantelos.reading.kinds.common import plain
from pantelos.reading.reading import Group, ReadingKind, Setting

PLACE = 3


ROWS = (
    ReadingKind("flicker", "Pst", ("u",), "Short-term flicker: how much changes of the voltage make a lamp flicker, 1 is the limit of annoyance.",
                "weighting of lamp, eye and brain, levels exceeded for shares of the time", plain, flicker.short_term_flicker,
                "flicker(u1)", Group.ALTERNATING, "IEC 61000-4-15", degree=0, noise=None, shift=0.0,
                settings=(Setting("lamp", 230.0, "V"),), tabled=False),
)  # fmt: skip
