"""How a further recording is set against those that are there, as chosen in the window or written on the command line."""

import re
from collections.abc import Sequence
from enum import StrEnum

import msgspec
import numpy as np

from pantelos.amounts import amount
from pantelos.errors import StudyError
from pantelos.record.assembly import MOST_MISSING, offset_behind, offset_by_start
from pantelos.record.placement import Placement
from pantelos.record.recording import RawChannel, Recording
from pantelos.record.timing import Instants, stop_of
from pantelos.signal.sums.integrals import blocks

_NEAR = 0.1  # of a step
_HYSTERESIS = 0.1  # of the range of the channel: an edge has come from below the one level and passed the other


class How(StrEnum):
    """What two recordings are set by."""

    TOGETHER = "together"  # their first samples at the same instant
    START = "start"  # their dates and times
    OFFSET = "offset"  # a stated time
    EDGE = "edge"  # the first rising edge of a channel both have
    BEHIND = "behind"  # one where the other ends


class Alignment(msgspec.Struct, frozen=True):
    """How a recording is set; its columns stand beside the others unless it lies behind."""

    how: How = How.TOGETHER
    offset_s: float = 0.0
    edges: tuple[str, str] = ("", "")  # column of the first recording, column of this one


def alignment_from(text: str) -> Alignment:
    """Return an alignment written like `together`, `start`, `behind`, `offset 0.25` or `edge u1=trigger`.

    Raises
    ------
    StudyError
        When it is none of these.
    """
    words = text.strip()
    if words in (How.TOGETHER, How.START, How.BEHIND):
        return Alignment(How(words))
    if words.startswith("offset "):
        return Alignment(How.OFFSET, amount(words.removeprefix("offset "), "s"))
    if match := re.fullmatch(r"edge\s+(?P<first>[^=]+?)\s*(?:=\s*(?P<other>.+?))?", words):
        return Alignment(How.EDGE, edges=(match["first"], match["other"] or match["first"]))
    raise StudyError(
        f'"{text}" does not say how to set a recording. Write together, start, behind, offset 0.25 (s), or edge u1=trigger.'
    )


def placement(there: Sequence[tuple[Recording, Placement]], read: Sequence[Recording], alignment: Alignment) -> Placement:
    """Return where the recordings of a file lie beside or behind those that are there.

    Raises
    ------
    StudyError
        When it does not say when it began, or shows no such edge.
    """
    (first, placed), other = there[0], read[0]
    match alignment.how:
        case How.TOGETHER:
            return Placement(first.start_s + placed.offset_s - other.start_s)
        case How.START:
            return Placement(offset_by_start(first, other) + placed.offset_s)
        case How.OFFSET:
            return Placement(alignment.offset_s)
        case How.EDGE:
            of_first = [recording for recording, lies in there if recording.source == first.source and lies == placed]
            return Placement(edge_of(of_first, alignment.edges[0]) + placed.offset_s - edge_of(read, alignment.edges[1]))
        case _:
            return _behind(there, other)


def _behind(there: Sequence[tuple[Recording, Placement]], other: Recording) -> Placement:
    """Return the place of a recording behind those that are there: a gap that dates or its own times tell is kept.

    Where its times begin anew and no date is stated, nothing tells a gap: it goes on at once.
    """
    before, lies = max(there, key=lambda item: offset_behind(item[0], item[1], other))
    at_once = offset_behind(before, lies, other)
    dated = before.began is not None and other.began is not None
    stated = (offset_by_start(before, other) if dated else 0.0) + lies.offset_s
    lengths = sum(stop_of(known.timing) - known.start_s for known in (*(r for r, _ in there), other))
    if not at_once - _NEAR / other.rate_hz < stated <= at_once + MOST_MISSING * lengths:
        return Placement(at_once, behind=True)  # it would lie over what is there, or leave nothing but a gap
    steps = (stated - at_once) * other.rate_hz
    if abs(steps - round(steps)) < _NEAR:  # what rounding of stamps leaves
        stated = at_once + round(steps) / other.rate_hz
    return Placement(stated, behind=True)


def edge_of(read: Sequence[Recording], name: str) -> float:
    """Return the instant of the first rising edge of a column of a file through the middle of its range, in its own time, s.

    An edge has come from below the middle by a twentieth of the range, and passes as far above it.

    Raises
    ------
    StudyError
        When there is no such column, or it never rises so far.
    """
    columns = {channel.name: (recording, channel) for recording in read for channel in recording.channels}
    if name not in columns:
        raise StudyError(f'{read[0].source.name} has no column "{name}"; it has {", ".join(columns)}.')
    recording, raw = columns[name]
    low, high = raw.pyramid.extent
    middle, reach = 0.5 * (low + high), 0.5 * _HYSTERESIS * (high - low)
    position = _first_rise(raw, middle, reach) if high > low else None
    if position is None:
        raise StudyError(f"{name} of {recording.source.name} shows no rising edge. Set the recording by an offset.")
    return _instant(recording, position) + raw.skew_s


def _first_rise(raw: RawChannel, middle: float, reach: float) -> float | None:
    """Return the row, not necessarily whole, at which the numbers first rise through `middle`."""
    armed = False
    for low, high in blocks(0, len(raw.samples)):
        first = max(low - 1, 0)
        x = raw.values(first, high, 1.0, 0.0)
        start = 0
        if not armed:
            below = np.flatnonzero(x <= middle - reach)
            if not len(below):
                continue
            armed, start = True, int(below[0])
        above = np.flatnonzero(x[start:] >= middle + reach)
        if len(above):
            under = np.flatnonzero(x[: start + int(above[0])] < middle)
            k = int(under[-1]) if len(under) else max(start + int(above[0]) - 1, 0)
            rise = float(x[k + 1] - x[k])
            return first + k + ((middle - float(x[k])) / rise if rise else 0.0)
    return None


def _instant(recording: Recording, position: float) -> float:
    timing = recording.timing
    if isinstance(timing, Instants):
        return float(np.interp(position, np.arange(len(timing.times_s)), timing.times_s))
    segment = next(s for s in reversed(timing) if s.first <= position or s is timing[0])
    return segment.start_s + (position - segment.first) / segment.rate_hz
