"""Whether the times of a file are even, and the rate they give."""

from pathlib import Path

import numpy as np

from pantelos.errors import FormatError
from pantelos.signal.arrays import FloatArray


class Clock:
    """Checks that the times of a file are even, and finds the rate."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._first = self._last = 0.0
        self._n = 0
        self._step = 0.0

    def add(self, t: FloatArray, first_row: int) -> None:
        """Take the next times, s; the first piece sets the step that all later ones must keep."""
        if self._n == 0:
            self._first = float(t[0])
            self._step = (float(t[-1]) - self._first) / max(len(t) - 1, 1)
        elif self._step:
            self._step = (float(t[-1]) - self._first) / (self._n + len(t) - 1)
        expected = self._first + (self._n + np.arange(len(t))) * self._step
        off = ~(np.abs(t - expected) <= 0.5 * self._step) if self._step > 0 else np.ones(len(t), dtype=bool)
        if len(t) > 1 and off.any():
            back = np.flatnonzero(~(np.diff(t) > 0))
            row = first_row + (int(back[0]) + 1 if len(back) else int(np.argmax(off)))
            found = "does not rise" if len(back) else "leaves an even grid by more than half a step"
            raise FormatError(self._path, f"the time in line {row} {found}", f"one sample every {abs(self._step):.6g} s",
                              "Cut the file there, or give the sample rate and leave the time column out.")  # fmt: skip
        self._n += len(t)
        self._last = float(t[-1])

    def rate_hz(self, resolution_s: float) -> float:
        """Return the rate, rounded as far as the decimals of the printed times leave it open.

        Raises
        ------
        FormatError
            When a single row gives no rate.
        """
        if self._n < 2:
            raise FormatError(self._path, "one row gives no sample rate", "two rows or more", "Give the sample rate.")
        rate = (self._n - 1) / (self._last - self._first)
        slack = rate * max(resolution_s / (self._last - self._first), 1e-12)
        for digits in range(1, 15):
            rounded = float(f"{rate:.{digits}g}")
            if abs(rounded - rate) <= slack:
                return rounded
        return rate
