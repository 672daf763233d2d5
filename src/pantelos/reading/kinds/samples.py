"""Samples and time."""

from pantelos.reading import shape
from pantelos.reading.kinds.common import ALL, plain, seconds
from pantelos.reading.reading import Group, ReadingKind

PLACE = 8


ROWS = (
    ReadingKind("duration", "duration", ("x",), "Length of the interval.", "stop minus start", seconds, shape.duration, "duration(u1)",
                Group.SAMPLES, degree=0, shift=0.0, timed=True),
    ReadingKind("count", "samples", ("x",), "How many samples have a value.", ALL, plain, shape.sample_count, "count(u1)",
                Group.SAMPLES, degree=0, shift=0.0),
    ReadingKind("missing", "missing", ("x",), "How many samples have no value.", ALL, plain, shape.missing_count, "missing(u1)",
                Group.SAMPLES, degree=0, shift=0.0, tabled=False),
    ReadingKind("clipped", "clipped", ("x",), "How many samples stand at the end of the range, three or more in a row.", ALL, plain,
                shape.clipped_count, "clipped(u1)", Group.SAMPLES, degree=0, shift=0.0),
)  # fmt: skip
