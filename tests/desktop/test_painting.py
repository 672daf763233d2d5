"""Envelopes: a steep line stays a line, a band lets those below shine through."""

from itertools import pairwise

import numpy as np
import pytest
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor, QImage, QPainter

from pantelos.desktop.drawing import painting
from pantelos.paper.hues import Weight

WIDTH, HEIGHT = 705, 86


def alphas(cycles_shown, qtbot):
    """Return how opaque the pixels of a 50 Hz voltage are that shows so many cycles in a lane, in overlay."""
    t = np.linspace(0, cycles_shown, WIDTH * 40)
    columns = np.sin(2 * np.pi * t).reshape(WIDTH, 40)
    image = QImage(WIDTH, HEIGHT, QImage.Format.Format_ARGB32_Premultiplied)
    image.fill(0)
    painter = QPainter(image)
    rect = QRectF(0, 0, WIDTH, HEIGHT)
    painting.draw_envelope(
        painter, rect, columns.min(1), columns.max(1), (-1.1, 1.1), QColor("#B4540A"), Weight.THIN, through=True
    )
    painter.end()
    pixels = np.frombuffer(image.constBits().asstring(image.sizeInBytes()), np.uint8).reshape(HEIGHT, WIDTH, 4)
    return pixels[..., 3]


@pytest.mark.parametrize("cycles", [5, 25, 50])  # 0.1 s, 0.5 s and 1 s of mains
def test_a_voltage_that_can_be_followed_is_a_line_and_not_dots(cycles, qtbot):
    found = alphas(cycles, qtbot)
    assert set(np.unique(found)) <= {0, 255}
    drawn = found > 0
    for a, b in pairwise(drawn.T):  # each column touches the one before
        assert np.abs(np.flatnonzero(a)[:, None] - np.flatnonzero(b)).min() <= 1


def test_a_band_of_many_cycles_per_pixel_shines_through(qtbot):
    found = alphas(20_000, qtbot)
    assert ((found > 0) & (found < 255)).mean() > 0.5
