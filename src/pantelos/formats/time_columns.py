"""Which of some columns is the time: names say which might be, units and values which is.

`time` and `Zeitstempel` are words for it; `t`, `T1` and `t_motor` are letters that stand for a temperature or a torque as well,
and count where nothing better does and their values rise as a time does.
"""

from collections.abc import Sequence
from decimal import Decimal
from enum import IntEnum

import msgspec
import numpy as np
from msgspec.structs import replace

from pantelos.formats import remarks, vocabulary
from pantelos.formats.bases import Timed
from pantelos.formats.dialect import Column, ColumnRole
from pantelos.formats.heading_names import is_named_after, known_unit
from pantelos.notice import Notice
from pantelos.signal.arrays import AnyArray
from pantelos.units import unit

_LETTER = "t"
_FEW = 3  # values: fewer tell nothing
_ROUNDED, _COMPUTED = 1.5, 1e-6  # last digits, and steps, that a value may lie beside the straight line
_WRITTEN = 50  # numbers that tell the last digit


class Claim(IntEnum):
    """How much speaks for a time, by name and unit."""

    NONE = 0
    UNIT = 1  # of time, under a name that says something else: a rise time is a channel
    LETTER = 2  # t, T_case
    WORD = 3  # time, or t in ms


class Candidate(msgspec.Struct, frozen=True):
    """A column that might be the time."""

    name: str
    claim: Claim
    values: Sequence[float]  # the first ones

    @property
    def exactly(self) -> bool:
        """Whether the whole name is a word for the time, and not only its beginning, as of a time constant."""
        return vocabulary.plain_words(self.name).rstrip("0123456789 ") in vocabulary.TIME

    @property
    def tells_little(self) -> bool:
        """Whether its name stands for other things as well, as T_case does: it is told that it counts as the time."""
        return self.claim is Claim.LETTER and self.name.rstrip("0123456789") != _LETTER

    @property
    def plainly(self) -> bool:
        """Whether it is called what only a time is called."""
        return self.claim is Claim.WORD or self.name == _LETTER


def claim_of(name: str, symbol: str | None) -> Claim:
    """Return how much speaks for a column being the time."""
    words = vocabulary.plain_words(name).split()
    known = known_unit(symbol) if symbol else None
    if known is not None and known.dimension and not known.like(unit("s")):
        return Claim.NONE
    timed = known is not None and known.like(unit("s"))
    first = words[0].rstrip("0123456789") if words else ""
    if first in vocabulary.TIME:
        return Claim.WORD if timed or first != _LETTER else Claim.LETTER
    return Claim.UNIT if timed else Claim.NONE


def rises(values: Sequence[float]) -> bool:
    """Return whether values never fall, and rise at all; too few of them may."""
    x = np.asarray(values, dtype=np.float64)
    return len(x) < _FEW or bool(np.isfinite(x).all() and np.all(np.diff(x) >= 0) and x[-1] > x[0])


def rises_evenly(values: Sequence[float]) -> bool:
    """Return whether values lie on a straight line but for their own rounding: what warms up does not."""
    x = np.asarray(values, dtype=np.float64)
    if len(x) < _FEW or not rises(values):
        return False
    line = np.linspace(x[0], x[-1], len(x))
    step = (x[-1] - x[0]) / (len(x) - 1)
    return bool(np.abs(x - line).max() <= _ROUNDED * _last_digit(values) + _COMPUTED * step)


def _last_digit(values: Sequence[float]) -> float:
    """Return what the last digit of the numbers counts, as far as the shortest way to write them tells."""
    lowest = min(int(Decimal(str(value)).normalize().as_tuple().exponent) for value in values[:_WRITTEN])
    return float(10.0**lowest)


def first_time(candidates: Sequence[Candidate]) -> int | None:
    """Return which of some columns side by side is their time: the best claim that its values do not speak against."""
    order = sorted(range(len(candidates)), key=lambda k: (-candidates[k].claim, not candidates[k].plainly, k))
    return next((k for k in order if _believed(candidates[k])), None)


def _believed(one: Candidate) -> bool:
    if one.claim is Claim.WORD:
        return one.exactly or rises(one.values)
    if one.claim is Claim.NONE:
        return False
    return rises(one.values) if one.plainly or one.claim is Claim.UNIT else rises_evenly(one.values)


def is_second_time(one: Candidate, first: str, others: Sequence[str]) -> bool:
    """Return whether a column is a time beside the first one: of a word or in a unit of time, or named like the first.

    `others` are columns that may have a time of their own, as `t_u1`.
    """
    if one.claim < Claim.LETTER or len(one.values) < _FEW:
        return False
    alike = one.name.rstrip("0123456789_ ") == first.rstrip("0123456789_ ")
    if alike or any(is_named_after(one.name, other) for other in others):
        return rises(one.values)
    return one.claim is Claim.WORD and rises_evenly(one.values)


def settled(arrays: Sequence[Timed], first: Sequence[AnyArray]) -> tuple[list[Timed], list[Notice]]:
    """Return the arrays with those as times that are, and what is to be said; `first` holds the first numbers of each."""
    found, told = list(arrays), []
    tables: dict[tuple[int, str], list[int]] = {}
    for at, array in enumerate(arrays):
        tables.setdefault((array.n, array.place.rpartition("/")[0]), []).append(at)
    names = [array.column.name for array in arrays if array.column.role is ColumnRole.CHANNEL]
    for members in tables.values():
        might = [at for at in members if arrays[at].column.role is ColumnRole.TIME]
        candidates = [_candidate(arrays[at].column, first[at], arrays[at].rate is not None) for at in might]
        chosen = first_time(candidates)
        for k, (at, one) in enumerate(zip(might, candidates, strict=True)):
            column = found[at].column
            second = chosen is not None and is_second_time(one, candidates[chosen].name, names)
            if k == chosen or second or not one.values:
                symbol = column.unit if known_unit(column.unit) is not None and column.unit != "1" else "s"
                found[at] = replace(found[at], column=replace(column, unit=symbol))
            else:
                found[at] = replace(found[at], column=replace(column, role=ColumnRole.CHANNEL))
            if k == chosen and one.tells_little:
                told.append(remarks.taken_for_time(one.name))
    return found, told


def _candidate(column: Column, values: AnyArray, rated: bool) -> Candidate:
    numeric = np.asarray(values).dtype.kind in "iuf"  # dates and times are never anything else
    claim = claim_of(column.name, column.unit) if numeric else Claim.WORD
    if claim is Claim.LETTER and rated:  # what has a rate of its own needs no time
        claim = Claim.NONE
    return Candidate(column.name, claim, tuple(np.asarray(values)) if numeric else ())
