"""Several recordings, or the segments of one, set on one grid: side by side, one behind the other, trimmed, moved."""

from collections.abc import Sequence
from itertools import pairwise

import msgspec
import numpy as np

from pantelos.errors import StudyError
from pantelos.notation import with_unit
from pantelos.notice import Notice, Severity
from pantelos.record.pieces import Grid
from pantelos.record.placement import Placement
from pantelos.record.record import Placed, Record, RecordColumn
from pantelos.record.recording import Recording
from pantelos.record.timing import Instants, Segment, Timing, rate_of, start_of, stop_of
from pantelos.units import unit

MOST_MISSING = 10  # times what was recorded: segments further apart than that are set one behind the other
_MOST_SAMPLES = 1e11  # of a record: more is a mistake
_MOST_BETWEEN = 64  # samples of the grid for each one at an instant of its own
_NEAR = 1e-6  # samples
_SPACE = 4  # steps without samples between two segments that were set one behind the other


class Shot(msgspec.Struct, frozen=True):
    """A segment that was set behind the one before, because its own time could not be kept."""

    start_s: float
    stop_s: float


def shots_of(recording: Recording) -> tuple[Shot, ...]:
    """Return the segments of a recording whose time runs backwards or leaps; empty where time simply goes on."""
    laid = _laid_out(recording.timing)
    if laid is recording.timing or isinstance(laid, Instants):
        return ()
    return tuple(Shot(segment.start_s, segment.stop_s) for segment in laid)


def _laid_out(timing: Timing) -> Timing:
    """Return the timing with segments one behind the other, where they overlap or lie absurdly far apart."""
    if isinstance(timing, Instants) or len(timing) == 1:
        return timing
    recorded = sum(segment.n_samples / segment.rate_hz for segment in timing)
    back = any(after.start_s < before.last_s - _NEAR / before.rate_hz for before, after in pairwise(timing))
    if not back and stop_of(timing) - start_of(timing) <= (MOST_MISSING + 1) * recorded:
        return timing
    laid = [timing[0]]
    for segment in timing[1:]:
        before = laid[-1]
        start = before.stop_s + _SPACE / before.rate_hz
        laid.append(msgspec.structs.replace(segment, start_s=start))
    return tuple(laid)


def assembled(
    recordings: Sequence[Recording],
    placements: Sequence[Placement],
    zero_s: float = 0.0,
    trim_s: tuple[float, float] | None = None,
    rate_hz: float | None = None,
) -> Record:
    """Return the record that recordings make.

    Parameters
    ----------
    placements : one for each recording
    zero_s : the instant that reads as zero, in the time of the first recording
    trim_s : the stretch that is kept, in that time
    rate_hz : rate everything is read at; None: the highest there is

    Raises
    ------
    StudyError
        When a column goes on in another unit, the rate is too low, or nothing is left.
    """
    laid = [(r, _laid_out(r.timing), p) for r, p in zip(recordings, placements, strict=True)]
    columns, renamed = _columns(laid, zero_s)
    grid = _grid(laid, zero_s, rate_hz)
    if trim_s is not None:
        grid = _trimmed(grid, trim_s[0] - zero_s, trim_s[1] - zero_s)
    first = recordings[0]
    began = None
    if first.began is not None:
        began = first.began.moved(round((zero_s - placements[0].offset_s) * 1e9))
    sources = tuple(dict.fromkeys((r.source, r.fingerprint) for r in recordings))
    notes = [note for r, timing, _ in laid for note in _notes(r, timing, grid, with_name=len(sources) > 1)] + renamed
    notes += _between(laid)
    told = [notice for r in recordings for notice in r.told]
    told += [Notice(Severity.FINE, "record.time", note) for note in notes]
    return Record(columns, grid, sources, first.metadata, began, tuple(dict.fromkeys(told)), _joints(laid, grid, zero_s))


def _joints(laid: Sequence[tuple[Recording, Timing, Placement]], grid: Grid, zero_s: float) -> tuple[int, ...]:
    """Return the samples of the grid at which a shot begins; files one behind the other may well be one run."""
    starts: list[float] = []
    for recording, timing, placement in laid:
        moved = placement.offset_s - zero_s
        if timing is not recording.timing and not isinstance(timing, Instants):
            starts += [segment.start_s + moved for segment in timing[1:]]
    at = (round((start - grid.start_s) * grid.rate_hz) for start in starts)
    return tuple(sorted({sample for sample in at if 0 < sample < grid.n_samples}))


def _columns(laid: Sequence[tuple[Recording, Timing, Placement]], zero_s: float) -> tuple[tuple[RecordColumn, ...], list[str]]:
    columns: dict[str, RecordColumn] = {}
    renamed = []
    for at, (recording, timing, placement) in enumerate(laid):
        for raw in recording.channels:
            part = Placed(raw, timing, placement.offset_s - zero_s)
            known = columns.get(raw.name)
            if known is not None and placement.behind:
                if not known.unit.like(raw.unit):
                    other = f"{known.unit.symbol} in {laid[0][0].source.name}"
                    raise StudyError(
                        f"{recording.source.name}: {raw.name} is in {raw.unit.symbol}, but {other}. Set them side "
                        "by side instead."
                    )
                columns[raw.name] = RecordColumn(known.name, known.unit, (*known.parts, part))
                continue
            name = raw.name
            if known is not None:
                name = next(free for k in range(at + 1, at + len(columns) + 2) if (free := f"{raw.name}_{k}") not in columns)
                renamed.append(f"{raw.name} of {recording.source.name} is called {name}")
            columns[name] = RecordColumn(name, raw.unit, (part,))
    return tuple(columns.values()), renamed


def _grid(laid: Sequence[tuple[Recording, Timing, Placement]], zero_s: float, rate_hz: float | None) -> Grid:
    """Return the grid from the first sample of all to the last, on the samples of the fastest recording."""
    starts = [start_of(timing) + p.offset_s - zero_s for _, timing, p in laid]
    stops = [stop_of(timing) + p.offset_s - zero_s for _, timing, p in laid]
    _check_distance([r for r, _, _ in laid], starts, stops)
    fastest = max(laid, key=lambda item: (not isinstance(item[1], Instants), rate_of(item[1])))
    highest = max(
        rate_of(timing) for _, timing, _ in laid if not isinstance(timing, Instants) or isinstance(fastest[1], Instants)
    )
    if rate_hz is not None and rate_hz < highest * (1 - 1e-9) and not isinstance(fastest[1], Instants):
        raise StudyError(
            f"The record cannot be read at {rate_hz:g} Hz, it holds {highest:g} samples per second. Reduce the rate "
            "when you export samples: that filters first."
        )
    rate = rate_hz or highest
    if (max(stops) - min(starts)) * rate > _MOST_SAMPLES:
        raise StudyError(f"At {rate:g} Hz the record would have more than {_MOST_SAMPLES:g} samples. Read it at a lower rate.")
    timing = fastest[1]
    if rate_hz is None and isinstance(timing, Instants):  # a few quick steps in a long recording set no pace for all of it
        rate = min(rate, _MOST_BETWEEN * len(timing.times_s) / max(max(stops) - min(starts), 1e-300))
    anchor = timing.start_s if isinstance(timing, Instants) else max(timing, key=lambda s: s.rate_hz).start_s
    anchor += fastest[2].offset_s - zero_s
    before = int(np.floor((anchor - min(starts)) * rate + _NEAR))
    start = anchor - before / rate
    n = int(np.floor((max(stops) - start) * rate + 1e-3))
    if len({r.source for r, _, _ in laid}) == 1:  # one file: behind the last sample of a slower base nothing is missing
        last = max(_last_s(timing, rate) + p.offset_s - zero_s for _, timing, p in laid)
        n = int(np.floor((last - start) * rate + 1e-3)) + 1
    if len(laid) == 1 and not isinstance(timing, Instants) and len(timing) == 1 and rate == highest:
        n = timing[0].n_samples
    return Grid(start, rate, max(n, 1))


def _last_s(timing: Timing, rate_hz: float) -> float:
    """Return the last instant that is read at a rate."""
    if isinstance(timing, Instants):
        return timing.stop_s - 1 / rate_hz
    return max(segment.last_s for segment in timing)


def _check_distance(recordings: Sequence[Recording], starts: Sequence[float], stops: Sequence[float]) -> None:
    """Refuse recordings so far apart that the record would be nothing but gaps."""
    recorded = sum(stop - start for start, stop in zip(starts, stops, strict=True))
    span = max(stops) - min(starts)
    if len(recordings) > 1 and span > (MOST_MISSING + 1) * recorded:
        name, far = recordings[-1].source.name, with_unit(span, unit("s"), 3)
        raise StudyError(
            f"{name} would stretch the record to {far}, more than ten times what was recorded. Set it another way: "
            "together, behind, or by an offset."
        )


def _trimmed(grid: Grid, start_s: float, stop_s: float) -> Grid:
    with np.errstate(over="ignore"):
        at = np.clip((np.array([start_s, stop_s]) - grid.start_s) * grid.rate_hz, 0.0, grid.n_samples)
    first, end = (int(place) for place in np.ceil(at - _NEAR))
    first = max(first, 0)
    if end - first < 2:
        raise StudyError(f"From {start_s:g} s to {stop_s:g} s there is nothing left of the record. Keep a longer stretch.")
    return Grid(grid.start_s + first / grid.rate_hz, grid.rate_hz, end - first)


def _notes(recording: Recording, timing: Timing, grid: Grid, with_name: bool) -> list[str]:
    """Return what was done to set a recording on the grid, in sentences for people."""
    of = f"{recording.source.name}: " if with_name else ""
    read_at = f"read at {with_unit(grid.rate_hz, unit('Hz'), 5)}"
    if isinstance(timing, Instants):
        low, high = (with_unit(step, unit("s"), 3) for step in timing.range_of_steps_s)
        return [f"{of}time is not even, with steps from {low} to {high}: {read_at} by monotone cubic interpolation"]
    notes = []
    if timing is not recording.timing:
        assert not isinstance(recording.timing, Instants)
        own = {float(np.rint(segment.start_s * segment.rate_hz)) for segment in recording.timing}
        each = f"{len(timing)} shots, each with a time of its own, are set one behind the other"
        leaps = f"time runs backwards or leaps {len(timing) - 1} times: its {len(timing)} stretches are set one behind the other"
        notes.append(of + (each if len(own) == 1 else leaps))
    elif len(timing) > 1 and (gaps := _gaps(timing)):
        notes.append(
            f"{of}{len(gaps)} {'gap' if len(gaps) == 1 else 'gaps'} in time: {with_unit(sum(gaps), unit('s'), 3)} are missing"
        )
    slower = sorted({segment.rate_hz for segment in timing if abs(segment.rate_hz - grid.rate_hz) > 1e-9 * grid.rate_hz})
    if slower:
        rates = " and ".join(with_unit(rate, unit("Hz"), 5) for rate in slower)
        states = [raw.name for raw in recording.channels if raw.is_state]
        held = f", states ({', '.join(states)}) held" if states else ""
        only = len(states) == len(recording.channels)
        notes.append(f"{of}what was recorded at {rates} is {read_at}" + (held if only else f" by quintic spline{held}"))
    skewed = [raw.name for raw in recording.channels if raw.skew_s]
    if skewed:
        notes.append(f"{of}skew of {', '.join(skewed)} is taken out by quintic spline")
    return notes


def _between(laid: Sequence[tuple[Recording, Timing, Placement]]) -> list[str]:
    """Return what lies between parts that are set one behind the other."""
    found = []
    for (before, timing, placed), (after, _, behind) in pairwise(laid):
        if not behind.behind or before.source == after.source:
            continue
        gap = after.start_s + behind.offset_s - stop_of(timing) - placed.offset_s
        if gap > 0.5 / rate_of(timing):
            found.append(f"{with_unit(gap, unit('s'), 4)} are missing between {before.source.name} and {after.source.name}")
        elif before.began is None and after.start_s - before.start_s < 0.5 / rate_of(timing):
            found.append(
                f"{after.source.name} begins its time anew: it is set at the end of {before.source.name}, nothing tells a gap"
            )
    return found


def _gaps(timing: tuple[Segment, ...]) -> list[float]:
    return [b.start_s - a.stop_s for a, b in pairwise(timing) if b.start_s - a.stop_s > 0.5 / a.rate_hz]


def offset_by_start(first: Recording, other: Recording) -> float:
    """Return the offset that sets two recordings by their dates and times.

    Raises
    ------
    StudyError
        When one of them states none.
    """
    for recording in (first, other):
        if recording.began is None:
            raise StudyError(f"{recording.source.name} does not say when it began. Set it by an offset or by an edge.")
    assert first.began is not None and other.began is not None
    return other.began.since_ns(first.began) / 1e9


def offset_behind(before: Recording, placement: Placement, other: Recording) -> float:
    """Return the offset that sets a recording one step behind the end of another one."""
    return stop_of(_laid_out(before.timing)) + placement.offset_s - other.start_s
