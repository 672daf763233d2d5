"""Trend and sum."""

from pantelos.reading import shape
from pantelos.reading.kinds.common import ALL
from pantelos.reading.reading import Group, ReadingKind
from pantelos.units import unit

PLACE = 7


ROWS = (
    ReadingKind("area", "area", ("x",), "Integral over the interval; W becomes J.", "trapezoids with fractional ends",
                lambda of: of[0] * unit("s"), shape.area, "area(p1)", Group.TREND, per_piece=shape.piece_area, degree=1, timed=True),
    ReadingKind("slope", "slope", ("x",), "Change per second.", "least squares over " + ALL, lambda of: of[0] / unit("s"), shape.slope,
                "slope(u_dc)", Group.TREND, degree=1, shift=0.0, timed=True, noise=shape.slope_noise),
)  # fmt: skip
