"""Rows of converted numbers by their place from the start on, as often as they are asked for."""

from typing import Protocol

import numpy as np

from pantelos.recorder.signals import Signal
from pantelos.signal.arrays import AnyArray, FloatArray
from pantelos.simulator.converter import Flaws, InputSettings, converted
from pantelos.simulator.scenes import Scene

_MOST = 8_000_000  # numbers of a pass that are kept
_SHORTEST = 1024  # rows
_MEAN_OF = 1 << 16  # rows that an alternating coupling takes the mean of


class Feed(Protocol):
    """Where the rows come from."""

    def rows(self, first: int, n: int) -> AnyArray:
        """Return rows first to first + n, (n, n_on), int16."""


class SceneFeed:
    """A scene, made once and repeated."""

    def __init__(
        self, scene: Scene, rate_hz: float, settings: list[InputSettings], flaws: Flaws, most_rows: int | None = None
    ) -> None:
        true_rate = rate_hz * (1 + flaws.clock_ppm * 1e-6)
        volts = scene.once(true_rate, most_rows or max(_MOST // max(len(settings), 1), _SHORTEST))
        seen = np.zeros((len(volts), len(settings)))
        shared = min(seen.shape[1], volts.shape[1])
        seen[:, :shared] = volts[:, :shared]
        _uncoupled(seen, settings, seen.mean(axis=0))
        self._pass = converted(seen, 0, true_rate, settings, flaws, 1)

    def rows(self, first: int, n: int) -> AnyArray:
        """Return rows, from as many passes as they reach over."""
        length = len(self._pass)
        begin = first % length
        if begin + n <= length:
            return self._pass[begin : begin + n]
        return self._pass.take(np.arange(begin, begin + n), axis=0, mode="wrap")


class LoopFeed:
    """The outputs, wired into the inputs of the same number."""

    def __init__(self, outputs: list[Signal], rate_hz: float, settings: list[InputSettings], flaws: Flaws) -> None:
        self._outputs, self._settings, self._flaws = outputs, settings, flaws
        self._rate_hz = rate_hz * (1 + flaws.clock_ppm * 1e-6)
        self._means = self._volts(0, _MEAN_OF).mean(axis=0)

    def _volts(self, first: int, n: int) -> FloatArray:
        seen = np.zeros((n, len(self._settings)))
        for k, (one, output) in enumerate(zip(self._settings, self._outputs, strict=False)):
            if one.on:
                seen[:, k] = output.volts(first, n, self._rate_hz, k)
        return seen

    def rows(self, first: int, n: int) -> AnyArray:
        """Return rows; noise differs with how they are cut."""
        volts = self._volts(first, n)
        _uncoupled(volts, self._settings, self._means)
        return converted(volts, first, self._rate_hz, self._settings, self._flaws, 2)


def _uncoupled(volts: FloatArray, settings: list[InputSettings], means: FloatArray) -> None:
    """Take the mean out of inputs that are coupled by a capacitor."""
    for k, one in enumerate(settings):
        if one.coupling == "AC":
            volts[:, k] -= means[k]
