"""A value drawn against its limit: a line beyond the limit, the limit, the value with what it may be off by."""

import numpy as np

from pantelos.paper.paper import Box, Paper, Role
from pantelos.sheets.blocks import Bar

WIDTH, HEIGHT = 130.0, 14.0  # pixels
_LIMIT = 0.8  # where the limit stands, of the width
_DIAMOND = 4.0


def draw_bar(paper: Paper, box: Box, bar: Bar) -> None:
    """Draw one bar in a box."""
    middle = box.top + box.height / 2

    def at(share: float) -> float:
        return box.left + box.width * min(max(share * _LIMIT, 0.0), 0.99)

    paper.line(np.array([box.left, box.right]), np.array([middle, middle]), Role.RULE, 1.6)
    limit = at(1.0)
    paper.line(np.array([limit, limit]), np.array([box.top + 1, box.bottom - 1]), Role.INK, 1.2)
    x = at(bar.value)
    if bar.within > 0:
        ends = np.array([at(bar.value - bar.within), at(bar.value + bar.within)])
        paper.line(ends, np.array([middle, middle]), bar.ink, 3.0)
    corners = _DIAMOND * np.array([[0, -1], [1, 0], [0, 1], [-1, 0]])
    paper.shape(x + corners[:, 0], middle + corners[:, 1], bar.ink)
