"""Which time each array of a file goes by, where arrays differ in length, rate or time: one time base for each."""

from collections.abc import Sequence

import msgspec

from pantelos.formats import remarks
from pantelos.formats.beside import Rate
from pantelos.formats.dialect import Column, ColumnRole, TimeBase
from pantelos.formats.heading_names import is_named_after
from pantelos.notation import with_unit
from pantelos.notice import Notice
from pantelos.units import unit


class Timed(msgspec.Struct, frozen=True):
    """An array: how long it is, where it stands, what it is for, and the rate and first instant stated for it."""

    column: Column
    n: int
    place: str = ""  # folder of the file it stands in: the time of the nearest one counts
    rate: Rate | None = None
    start_s: float = 0.0


class Bases(msgspec.Struct, frozen=True):
    """The columns, each with its time base, the bases, and what is to be said of it."""

    columns: tuple[Column, ...]
    bases: tuple[TimeBase, ...]
    reasons: tuple[str, ...]
    told: tuple[Notice, ...]


class _Clock(msgspec.Struct, frozen=True):
    """What the time of an array is told by: a time array, or a rate, or nothing."""

    n: int
    time_at: int | None = None
    rate_hz: float | None = None
    words: str = ""
    start_s: float = 0.0

    @property
    def known(self) -> bool:
        return self.time_at is not None or self.rate_hz is not None


def bases_of(arrays: Sequence[Timed]) -> Bases:
    """Return the time bases of arrays: by a time array of the same length, else by rate; the one with most numbers first.

    What has neither joins a base of its length; where there is none it is left out, unless all are like that.
    """
    clocks = _clocks(arrays)
    numbers: dict[_Clock, int] = {}
    for clock, array in zip(clocks, arrays, strict=True):
        numbers[clock] = numbers.get(clock, 0) + array.n
    serving = {clock for clock, array in zip(clocks, arrays, strict=True) if array.column.role is ColumnRole.CHANNEL}
    found = sorted((clock for clock in numbers if clock.known and clock in serving), key=lambda clock: -numbers[clock])
    found = found or [max(numbers, key=lambda clock: numbers[clock])]
    base_of = {clock: k for k, clock in enumerate(found)}
    columns, without, idle = [], [], []
    for at, (clock, array) in enumerate(zip(clocks, arrays, strict=True)):
        other_time = array.column.role is ColumnRole.TIME and clock.time_at != at
        role = ColumnRole.SKIP if clock not in base_of or other_time else array.column.role
        idle += [array.column.name] if array.column.role is ColumnRole.TIME and role is ColumnRole.SKIP else []
        without += [array.column.name] if clock not in base_of and array.column.role is not ColumnRole.TIME else []
        columns.append(msgspec.structs.replace(array.column, role=role, base=base_of.get(clock, 0)))
    told = [remarks.left_out(without, "of another length, and nothing says when they were taken")] if without else []
    told += [remarks.left_out(idle, "a second time beside the first")] if idle else []
    names: list[list[str]] = [[] for _ in found]
    for column in columns:
        if column.role is ColumnRole.CHANNEL:
            names[column.base].append(column.name)
    served = list(zip(found, names, strict=True))
    if sum(bool(names) for _, names in served) > 1:
        told.append(remarks.several_rates([(names, _how(clock, arrays)) for clock, names in served if names]))
    by_time = [arrays[clock.time_at].column for clock in found if clock.time_at is not None]
    reasons = dict.fromkeys(f'"{column.name}" is the time in {column.unit}' for column in by_time)
    reasons |= dict.fromkeys(f'{clock.rate_hz:g} samples per second from "{clock.words}"' for clock in found if clock.rate_hz)
    bases = tuple(TimeBase(clock.rate_hz, clock.start_s if clock.rate_hz else 0.0) for clock in found)
    return Bases(tuple(columns), bases, tuple(reasons), tuple(told))


def _clocks(arrays: Sequence[Timed]) -> list[_Clock]:
    """Return the clock of every array."""
    times: dict[int, list[int]] = {}
    for at, array in enumerate(arrays):
        if array.column.role is ColumnRole.TIME:
            times.setdefault(array.n, []).append(at)
    usual = _usual_lengths(arrays)
    clocks = []
    for k, array in enumerate(arrays):
        if array.n in times:
            nearest = _nearest(arrays, times[array.n], k)
            clocks.append(_Clock(array.n, time_at=k if k in times[array.n] and array.place != arrays[nearest].place else nearest))
        elif array.rate is not None and (array.rate.own or array.n == usual[array.rate]):
            clocks.append(_Clock(array.n, None, array.rate.hz, array.rate.words, array.start_s))
        else:
            clocks.append(_Clock(array.n))
    by_length = {clock.n: clock for clock in reversed(clocks) if clock.known}
    return [clock if clock.known else by_length.get(clock.n, clock) for clock in clocks]


def _nearest(arrays: Sequence[Timed], times: Sequence[int], k: int) -> int:
    """Return which of some time arrays counts for array k: in its folder, named after it, or next to it."""

    def near(at: int) -> tuple[int, bool, int]:
        named = is_named_after(arrays[at].column.name, arrays[k].column.name)
        return _shared(arrays[at].place, arrays[k].place), named, -abs(at - k)

    return max(times, key=near)


def _usual_lengths(arrays: Sequence[Timed]) -> dict[Rate, int]:
    """Return the length of those that hold most numbers among the arrays a rate speaks of."""
    held: dict[Rate, dict[int, int]] = {}
    for array in arrays:
        if array.rate is not None:
            lengths = held.setdefault(array.rate, {})
            lengths[array.n] = lengths.get(array.n, 0) + array.n
    return {rate: max(lengths, key=lambda n: lengths[n]) for rate, lengths in held.items()}


def _shared(one: str, other: str) -> int:
    """Return how many folders two places share."""
    pairs = enumerate(zip(one.split("/"), other.split("/"), strict=False))
    return next((k for k, (a, b) in pairs if a != b), min(one.count("/"), other.count("/")) + 1)


def _how(clock: _Clock, arrays: Sequence[Timed]) -> str:
    if clock.time_at is not None:
        return f"by {arrays[clock.time_at].column.name}"
    return f"at {with_unit(clock.rate_hz, unit('Hz'), 5)}" if clock.rate_hz else "at no stated rate"
