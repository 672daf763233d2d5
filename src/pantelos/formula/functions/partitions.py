"""Ways to take a record in pieces, for `READING over …`."""

from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from pantelos.errors import StudyError
from pantelos.formula.functions.function import NUMBERS, SIGNALS, ArgumentRole, Function, GivenArguments, Parameter
from pantelos.notation import with_unit
from pantelos.quality.half_cycles import half_cycle_edges
from pantelos.record.waveform import Waveform
from pantelos.signal.cycles.cycles import unbroken
from pantelos.signal.levels.level_search import Crossings
from pantelos.signal.levels.levels import Level
from pantelos.signal.levels.partition import Partition, from_edges
from pantelos.units import ONE, Unit, unit

CATEGORY = "over pieces"
_X = Parameter("x", SIGNALS)
_LEVEL = Parameter("level", NUMBERS, left_out=True)
_HYSTERESIS = Parameter("hysteresis", NUMBERS, left_out=True)
_PERIOD = (unit("s"), unit("cycles"))
_SHORTEST = 1.0  # samples of a block
_MOST = 20_000_000  # pieces: what their values may take of the memory


def _none(units: Sequence[Unit]) -> Unit:
    return ONE


def _said(given: GivenArguments) -> str:
    return given.names[0] or "the expression"


def _limit(given: GivenArguments, k: int, wave: Waveform) -> Level | None:
    """Return a level or hysteresis that was given, None where it is left out: absolute, or in % of the swing."""
    value = given.values[k] if k < len(given.values) else None
    if value is None:
        return None
    relative = value.unit.symbol == "%" and wave.unit.symbol != "%"
    if not relative and not value.unit.like(wave.unit):
        raise StudyError(
            f"{_said(given)} is in {wave.unit.symbol}, but its level in {value.unit.symbol}. "
            f"Give it in {wave.unit.symbol}, or in % of the swing."
        )
    return Level(value.value, relative)


def _rises(given: GivenArguments, what: str) -> Crossings:
    """Return the crossings that pieces run between.

    Raises
    ------
    StudyError
        When there is no piece between two rises.
    """
    wave = given.values[0]
    level = _limit(given, 1, wave)
    found = given.asked.edges(wave, given.names[0], level, _limit(given, 2, wave))
    if len(found.rises) < 2:
        at = "the middle between base and top" if level is None else _shown(level, wave)
        raise StudyError(f"{_said(given)} rises {len(found.rises)} times through {at}: there is no {what}. Choose another level.")
    return found


def _shown(level: Level, wave: Waveform) -> str:
    return f"{100 * level.value:g} % of its swing" if level.relative else with_unit(level.value, wave.unit)


def _cycles(given: GivenArguments) -> Partition:
    wave = given.values[0]
    if given.values[1] is not None:
        found = _rises(given, "cycle")
        made = from_edges(found.rises, "cycle", wave.n_samples, wave.rate_hz, n_cycles=1)
        return replace(made, cut_by=found, cut_of=given.names[0])
    cycles = given.asked.cycles(wave, given.names[0])
    if len(cycles.crossings) < 2:
        raise StudyError(f'"{_said(given)}" shows no cycles in this record: {cycles.why_not}. Choose an alternating channel.')
    return cycles.partition


def _half_cycles(given: GivenArguments) -> Partition:
    wave = given.values[0]
    cycles = given.asked.cycles(wave, given.names[0])
    if len(cycles.crossings) < 2:
        raise StudyError(f'"{_said(given)}" shows no cycles in this record: {cycles.why_not}. Choose an alternating channel.')
    edges = half_cycle_edges(cycles)
    n = max(len(edges) - 2, 0)
    return Partition(
        edges[:-2], edges[2:], "half-cycle", wave.n_samples, wave.rate_hz, np.ones(n, dtype=bool), cycles.placed_within
    )


def _pulses(given: GivenArguments) -> Partition:
    wave = given.values[0]
    found = _rises(given, "pulse")
    return replace(from_edges(found.rises, "pulse", wave.n_samples, wave.rate_hz), cut_by=found, cut_of=given.names[0])


def _blocks(given: GivenArguments) -> Partition:
    length, step = given.values[0], given.values[1] or given.values[0]
    if length.unit.symbol != step.unit.symbol and not length.unit.like(step.unit):
        raise StudyError("Length and step of blocks are both times, or both cycles.")
    if not length.value > 0 or not step.value > 0:
        raise StudyError("Blocks need a length and a step above zero.")
    if length.unit.like(unit("cycles")):
        return _blocks_of_cycles(given, length.value, step.value)
    n, rate = given.asked.grid
    long, apart = length.value * rate, step.value * rate
    if min(long, apart) < _SHORTEST:
        raise StudyError(
            f"Blocks of {with_unit(min(long, apart) / rate, unit('s'))} are shorter than a sample. Make them longer."
        )
    starts = _evenly(n, long, apart)
    return Partition(starts, starts + long, "block", n, rate, np.ones(len(starts), dtype=bool))


def _evenly(n: int, long: float, apart: float) -> np.ndarray:
    """Return the starts of blocks within `n` samples; on samples where they are so but for rounding."""
    count = int(np.floor((n - long) / apart + 1e-9)) + 1
    if count < 1:
        raise StudyError("The record is shorter than one block. Make the blocks shorter.")
    if count > _MOST:
        raise StudyError(f"That makes {count} blocks, more than {_MOST}. Make the step longer.")
    starts = np.arange(count) * apart
    return np.where(np.abs(starts - np.round(starts)) < 1e-6, np.round(starts), starts)


def _blocks_of_cycles(given: GivenArguments, long: float, apart: float) -> Partition:
    cycles, why = given.asked.reference(given.used)
    if cycles is None:
        raise StudyError(f"Blocks of cycles need a reference: {why}. Choose a channel whose cycles count, or give a time.")
    if long != int(long) or apart != int(apart):
        raise StudyError("Blocks hold whole cycles. Give a whole number of them.")
    runs = [_of_run(first, last, int(long), int(apart)) for first, last in unbroken(cycles.whole)]
    firsts = np.concatenate([np.zeros(0, dtype=np.intp), *runs])
    if not len(firsts):
        raise StudyError(f"The reference makes fewer than {int(long)} cycles in a row. Make the blocks shorter.")
    at = cycles.smooth.crossings if long > 1 else cycles.crossings
    n, rate = cycles.n_samples, cycles.rate_hz
    return Partition(
        at[firsts],
        at[firsts + int(long)],
        "block",
        n,
        rate,
        np.ones(len(firsts), dtype=bool),
        cycles.placed_within,
        max(cycles.placed_within, cycles.onset_within),
        int(long),
    )


def _of_run(first: int, last: int, long: int, apart: int) -> np.ndarray:
    return np.arange(first, last - long + 1, apart, dtype=np.intp)


def _between(given: GivenArguments) -> Partition:
    name = given.values[0].name
    positions = np.unique(given.asked.events(name))
    if len(positions) < 2:
        raise StudyError(f'Events "{name}": {len(positions)} found; pieces between them need two. Change what is looked for.')
    n, rate = given.asked.grid
    return from_edges(positions, "piece between events", n, rate)


def _intervals(given: GivenArguments) -> Partition:
    names = [place.name for place in given.values if place is not None] or list(given.asked.intervals())
    if not names:
        raise StudyError("There are no intervals yet. Add one, or take the reading over blocks.")
    spans = sorted(given.asked.span(name) for name in names)
    n, rate = given.asked.grid
    starts, stops = np.array(spans).T
    return Partition(starts, np.maximum.accumulate(stops), "interval", n, rate, np.ones(len(spans), dtype=bool))


CYCLES = Function(
    "cycles",
    CATEGORY,
    (_X, _LEVEL, _HYSTERESIS),
    "The cycles of x; with a level, from rise to rise through it; level and hysteresis in the unit of x or in % of its swing.",
    "rms(u1) over cycles(u1)",
    _none,
    pieces=_cycles,
    place=1,
    placed=True,
    formula="phase of the fundamental passes a multiple of 2π; with a level: crossings with hysteresis, interpolated",
    source="IEC 61000-4-30 clause 5.1",
)
HALF_CYCLES = Function(
    "half_cycles",
    CATEGORY,
    (_X,),
    "A cycle of x from every half-cycle on, through pauses too: what dips and swells are read from (IEC 61000-4-30).",
    "rms(u1) over half_cycles(u1)",
    _none,
    pieces=_half_cycles,
    place=1,
    placed=True,
    formula="crossings along a parabola through those around each; where the reference pauses, the last period goes on",
    source="IEC 61000-4-30, U rms(1/2)",
)
PULSES = Function(
    "pulses",
    CATEGORY,
    (_X, _LEVEL, _HYSTERESIS),
    "From rise to rise of x, through the middle of top and base unless a level is given.",
    "duty(g) over pulses(g)",
    _none,
    pieces=_pulses,
    place=2,
    formula="crossings with hysteresis, 5 % of the swing unless given, interpolated",
    source="IEEE 181, IEC 60469",
)
BLOCKS = Function(
    "blocks",
    CATEGORY,
    (Parameter("length", NUMBERS, _PERIOD), Parameter("step", NUMBERS, _PERIOD, left_out=True)),
    "Stretches of one length from the start of the record on, one after the other or every step; of a time, or of whole cycles.",
    "thd(i1) over blocks(10 cycles)",
    _none,
    pieces=_blocks,
    place=3,
    placed=True,
)
BETWEEN = Function(
    "between",
    CATEGORY,
    (Parameter("events", role=ArgumentRole.EVENTS),),
    "From event to event of a stored search.",
    "mean(p1) over between(events)",
    _none,
    pieces=_between,
    place=4,
    placed=True,
)
INTERVALS = Function(
    "intervals",
    CATEGORY,
    (Parameter("a", role=ArgumentRole.PLACE, many=True),),
    "The intervals of the study, or those named.",
    "mean(p1) over intervals",
    _none,
    pieces=_intervals,
    place=5,
    placed=True,
)
