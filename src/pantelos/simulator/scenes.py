"""What the inputs of the simulated recorder see: scenes of our own, over and over, or a recorded study played back."""

import math
from collections.abc import Callable
from functools import cache
from pathlib import Path

import msgspec
import numpy as np

from pantelos.demo import conveyor, lift, rail
from pantelos.errors import StudyError
from pantelos.registry import Registry
from pantelos.signal.arrays import FloatArray

# One pass of a scene at a rate: volts at the inputs, (n_rows, n_channels), of at most so many rows.
Pass = Callable[[float, int], FloatArray]
_MOST_PLAYED = 24_000_000  # numbers
_MAINS_HZ, _PASS_S, _DIP = 50.0, 10.0, (0.6, 0.61, 0.5)  # where in a pass, and what is left
_DIPS_FROM_S = 5.0  # that a pass lasts
_MAINS_V, _MAINS_A, _DIVIDER, _CLAMP = 230.0, 12.0, 100.0, 0.1


class Scene(msgspec.Struct, frozen=True):
    """One thing to record."""

    id: str
    title: str
    channels: tuple[str, ...]
    once: Pass


def _mains(rate_hz: float, most: int) -> FloatArray:
    """Return whole cycles of a supply with a dip now and then: three voltages behind 100:1, three currents at 100 mV/A."""
    cycles = max(math.floor(min(_PASS_S, most / rate_hz) * _MAINS_HZ), 1)
    n = max(round(cycles / _MAINS_HZ * rate_hz), 1)
    turn = 2 * math.pi * _MAINS_HZ / rate_hz * np.arange(n)
    place = np.arange(n) / n
    dips = n >= _DIPS_FROM_S * rate_hz
    left = np.where((place >= _DIP[0]) & (place < _DIP[1]), _DIP[2], 1.0) if dips else np.ones(n)
    found = np.empty((n, 6))
    for k in range(3):
        own = turn - k * 2 * math.pi / 3
        found[:, k] = left * math.sqrt(2) * _MAINS_V / _DIVIDER * (np.sin(own) + 0.02 * np.sin(5 * own))
        load = np.sin(own - 0.4) - 0.2 * np.sin(5 * own) + 0.1 * np.sin(7 * own)
        found[:, 3 + k] = math.sqrt(2) * _MAINS_A * _CLAMP * load
    return found


def played(columns: FloatArray, own_rate_hz: float) -> Pass:
    """Return recorded columns (n_rows, n_channels) as a pass at any rate, straight between samples, and from end to start."""

    def once(rate_hz: float, most: int) -> FloatArray:
        n = min(max(round(len(columns) / own_rate_hz * rate_hz), 1), most)
        at = np.arange(n) * (own_rate_hz / rate_hz)
        before = at.astype(np.intp)
        share = (at - before)[:, None]
        return np.asarray(columns[before % len(columns)] * (1 - share) + columns[(before + 1) % len(columns)] * share)

    return once


def _demo(id_: str, title: str, channels: tuple[str, ...], rate_hz: float, made: Callable[[], dict[str, FloatArray]]) -> Scene:
    """Return a demo played over and over; it is made when somebody looks."""

    @cache
    def columns() -> FloatArray:
        return np.stack(list(made().values()), axis=1)

    def once(rate: float, most: int) -> FloatArray:
        return played(columns(), rate_hz)(rate, most)

    return Scene(id_, title, channels, once)


_CONVEYOR = ("g_top", "g_bottom", "u_sw", "i_belt", "enc", "s1", "s2", "M", "n")
_PHASES = ("u1", "u2", "u3", "i1", "i2", "i3")
SCENES = Registry(
    "scene",
    lambda scene: scene.id,
    (
        Scene("mains", "A supply with a dip now and then", _PHASES, _mains),
        _demo("lift", "A goods lift", tuple(one.name for one in lift.RECORDED), lift.RATE_HZ, lift.recorded_volts),
        _demo("conveyor", "Run-up of a belt conveyor", _CONVEYOR, conveyor.RATE_HZ, conveyor.recorded_volts),
        _demo("rail", "Ripple on a 48 V rail", ("u_rail", "load"), rail.RATE_HZ, rail.recorded_volts),
    ),
)


def recorded_scene(path: Path) -> Scene:
    """Return the recording of a study as a scene: what its recorder put down.

    Raises
    ------
    StudyError
        When it has no samples in common to all channels.
    """
    from pantelos.study.opening import record_of
    from pantelos.study.storage import load_study

    record = record_of(load_study(path))
    raws = [column.parts[0].raw for column in record.columns]
    n = min((len(raw.samples) for raw in raws), default=0)
    if not n:
        raise StudyError(f"{path.name} has no recorded channels. Choose a study with a recording.")
    n = min(n, max(_MOST_PLAYED // len(raws), 1))
    columns = np.stack([np.nan_to_num(raw.values(0, n, raw.scale, raw.zero)) for raw in raws], axis=1)
    return Scene(path.stem, path.stem, tuple(column.name for column in record.columns), played(columns, record.rate_hz))
