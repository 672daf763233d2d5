"""The colours of the window: words can be read on every ground, and what means something is told apart by every eye."""

from itertools import combinations

import numpy as np
import pytest

from pantelos.desktop.theme import DARK, LIGHT

WORDS = ("ink", "soft", "edge", "good", "caution", "fault")
MEANING = ("L1", "L2", "L3", "N", "DC", "shaft"), ("good", "caution", "fault")
# Machado, Oliveira, Fernandes: A physiologically-based model for simulation of color vision deficiency, 2009, severity 1
VISION = {
    "usual": np.eye(3),
    "protanopia": np.array([[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]]),
    "deuteranopia": np.array([[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.01182, 0.04294, 0.968881]]),
    "tritanopia": np.array([[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.3039]]),
}
TO_XYZ = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])


def linear(colour):
    c = np.array([int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5)])
    return np.where(c <= 0.04045, c / 12.92, ((c + 0.055) / 1.055) ** 2.4)


def contrast(a, b):
    """The contrast ratio of WCAG 2.2."""
    low, high = sorted((TO_XYZ[1] @ linear(a), TO_XYZ[1] @ linear(b)))
    return (high + 0.05) / (low + 0.05)


def lab(rgb):
    x = TO_XYZ @ np.clip(rgb, 0, 1) / [0.9505, 1, 1.089]
    f = np.where(x > 0.008856, np.cbrt(x), 7.787 * x + 16 / 116)
    return np.array([116 * f[1] - 16, 500 * (f[0] - f[1]), 200 * (f[1] - f[2])])


@pytest.mark.parametrize("theme", [LIGHT, DARK], ids=lambda theme: theme.name)
def test_words_and_borders_stand_out_from_every_ground(theme):
    grounds = (theme.ground, theme.panel, theme.wash, theme.field)
    inks = {name: getattr(theme, name) for name in WORDS} | theme.conductors
    low = [(name, ground) for name, ink in inks.items() for ground in grounds if contrast(ink, ground) < 4.5]
    assert low == []
    assert min(contrast(theme.border, ground) for ground in (theme.ground, theme.panel, theme.field)) >= 3


@pytest.mark.parametrize("vision", VISION)
@pytest.mark.parametrize("theme", [LIGHT, DARK], ids=lambda theme: theme.name)
def test_what_means_something_is_told_apart_by_every_eye(theme, vision):
    for names in MEANING:
        seen = {name: lab(VISION[vision] @ linear(theme.conductors.get(name) or getattr(theme, name))) for name in names}
        alike = [(a, b) for a, b in combinations(names, 2) if np.linalg.norm(seen[a] - seen[b]) < 9]
        assert alike == []
        if "N" in names:
            assert abs(seen["L2"][0] - seen["N"][0]) > 12  # by lightness too
