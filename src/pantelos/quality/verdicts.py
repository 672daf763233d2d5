"""Verdicts: what was measured, held against a limit, with its uncertainty.

The share of values inside decides, not an interpolated percentile. Each channel is judged by itself and the worst one governs. A
verdict is undecided where it would be another one if the limit lay elsewhere within the uncertainty of the values.
"""

import math
from collections.abc import Callable, Mapping, Sequence
from enum import StrEnum

import msgspec
import numpy as np

from pantelos.notation import minus
from pantelos.quality.levels import OF_CURRENTS, OF_SYSTEM, MeasuredLevel
from pantelos.quality.periods import begun_in, wanted_values
from pantelos.quality.requirements import Limit, LimitSet
from pantelos.signal.arrays import BoolArray, FloatArray

MIN_COVERAGE = 0.9  # of a value that is judged
MIN_VALID = 0.9  # of the values of a period
_PARTIAL = 1.5  # what a partial odd order may reach
_PARTIAL_ORDERS = range(21, 40, 2)
AS_MEASURED = ", as measured here"  # behind the statistic of what is no verdict
_MEASURED = (  # what is told of values that get no verdict
    "channel",
    "measured",
    "within",
    "margin",
    "n_total",
    "n_valid",
    "n_flagged",
    "alone",
    "share_inside",
    "spread",
)
_SHORTER = {"f": ("10 s",)}  # bases that tell what is measured where a period is not full, of other parameters
_SHORTER_OF_OTHERS = ("3 s", "200 ms")


class Verdict(StrEnum):
    """What a value is against its limit."""

    INSIDE = "inside"
    OUTSIDE = "outside"
    UNDECIDED = "undecided"
    INSUFFICIENT = "insufficient data"
    NOT_JUDGED = "not judged"  # a check calls what it rests on wrong


class Judged(msgspec.Struct, frozen=True):
    """One limit and its verdict."""

    limit: Limit
    verdict: Verdict
    why: tuple[str, ...]
    channel: str = ""  # the worst
    statistic: str = ""
    measured: float = math.nan  # in the unit of the limit
    within: float = math.nan  # expanded uncertainty of it, NaN: not stated
    margin: float = math.nan  # share of the limit that is left, negative beyond
    n_total: int = 0
    n_valid: int = 0
    n_flagged: int = 0
    period: str = ""  # the one that governs, where the record holds whole ones
    others: tuple[str, ...] = ()  # what the other ones say
    n_there: int = 0  # whole values in the fullest period, and those of a full one, where none is full
    n_wanted: int = 0
    alone: bool = False  # whether other channels say something better
    would: Verdict | None = None  # what it would be if all of a period were as what was measured, where no period is full
    share_inside: float = math.nan  # %
    spread: tuple[float, ...] = ()  # least, 0.5, 5, 50, 95, 99 % and largest of the worst channel

    @property
    def text(self) -> str:
        """The limit as it is read."""
        low, high, unit = self.limit.low, self.limit.high, self.limit.requirement.unit
        behind = f" {unit}" if unit else ""
        if low is not None and high is not None:
            even = low == -high
            return f"±{high:g}{behind}" if even else minus(f"{low:g} to {high:g}{behind}")
        return f"≥ {low:g}{behind}" if low is not None else f"≤ {high:g}{behind}"


class Basis(msgspec.Struct, frozen=True, eq=False):
    """What limits are judged on."""

    levels: Mapping[str, MeasuredLevel]
    channels: Mapping[str, tuple[str, ...]]  # by U and I: names of the columns of values
    declared: float  # V
    inputs: Mapping[str, float]
    expanded: Callable[[str, int | None, int], tuple[float, float]]  # of parameter, order, column: share of value, and absolute
    wrong: Mapping[str, str]  # what is wrong, by channel; under "" of all together
    with_flagged: bool = False
    periods: Mapping[str, Sequence[tuple[float, float]]] = {}  # week, day: samples, those cut too; of others all is one period
    told: Callable[[float], str] = str  # an instant, samples, as it is read
    rule: str = "undecided"  # a decision rule, by its id


def judge(limit: Limit, of: LimitSet, basis: Basis) -> Judged:
    """Return the verdict on one limit of a set: of each whole period of the record the worst channel, of these the worst one.

    Where no period is full there is no verdict; what was measured is held against the limit all the same, and told apart.
    """
    one = limit.requirement
    period = one.period or of.period
    level = basis.levels.get(one.base)
    if period not in basis.periods or not math.isfinite(wanted_values(period, one.base)):
        return _of_rows(limit, of, basis, one.base, None)
    rows = [] if level is None else [(at, begun_in(level.span, *at)) for at in basis.periods[period]]
    needed = MIN_VALID * wanted_values(period, one.base)
    full = [(at, some) for at, some in rows if level is not None and _n_whole(level, some) >= needed]
    if not full:
        return _as_measured(limit, of, basis, max((_n_whole(level, some) for _, some in rows if level is not None), default=0))
    judged = [
        msgspec.structs.replace(_of_rows(limit, of, basis, one.base, some), period=f"{basis.told(at[0])} to {basis.told(at[1])}")
        for at, some in full
    ]
    worst = max(judged, key=_badness)
    others = tuple(f"{period} {other.period}: {other.verdict}" for other in judged if other is not worst)
    return msgspec.structs.replace(worst, others=others, why=(*worst.why, *others))


def _n_whole(level: MeasuredLevel, rows: slice) -> int:
    return int(np.count_nonzero(level.coverage[rows] >= MIN_COVERAGE))


def _as_measured(limit: Limit, of: LimitSet, basis: Basis, n_there: int) -> Judged:
    """Return what there is of a period that is not full, of the longest base interval that has values."""
    one = limit.requirement
    period = one.period or of.period
    n_wanted = round(wanted_values(period, one.base))
    short = f"short period: {n_there} of the {n_wanted} values of a {period}"
    none = Judged(limit, Verdict.INSUFFICIENT, (short,), n_there=n_there, n_wanted=n_wanted)
    for base in (one.base, *_SHORTER.get(one.parameter, _SHORTER_OF_OTHERS)):
        found = _of_rows(limit, of, basis, base, None, few=True)
        if found.verdict is Verdict.NOT_JUDGED:
            return found
        if math.isfinite(found.measured):
            measured = {name: getattr(found, name) for name in _MEASURED}
            said, why = f"{found.statistic}{AS_MEASURED}", (short, *found.why)
            return msgspec.structs.replace(none, would=found.verdict, statistic=said, why=why, **measured)
    return none


def _of_rows(limit: Limit, of: LimitSet, basis: Basis, base: str, rows: slice | None, few: bool = False) -> Judged:
    """Return the verdict of some values of a base interval (None: all), of the worst channel; `few` of them will do."""
    one = limit.requirement
    level = basis.levels.get(base)
    values = _values(limit, level)
    if level is None or values is None:
        return Judged(limit, Verdict.INSUFFICIENT, (f"there is no {one.parameter} of {base} in this record",))
    if rows is not None:
        level = level.of(rows)
        values = values[rows]
    names = basis.channels.get("I" if one.parameter in OF_CURRENTS else "U", ())
    kept = (level.coverage >= MIN_COVERAGE) if base != "observation" else np.ones(len(level.coverage), dtype=bool)
    usable = kept if basis.with_flagged else kept & ~level.flagged
    judged = [
        _of_channel(limit, of, level, values[:, k], usable, _name(names, k, one.parameter), k, basis, few)
        for k in range(values.shape[1])
    ]
    worst = max(judged, key=_badness)
    alone = len(judged) > 1 and all(other is worst or other.verdict is not worst.verdict for other in judged)
    return msgspec.structs.replace(worst, alone=alone)


def _badness(one: Judged) -> tuple[int, float]:
    order = [Verdict.INSIDE, Verdict.INSUFFICIENT, Verdict.UNDECIDED, Verdict.OUTSIDE, Verdict.NOT_JUDGED]
    return order.index(one.verdict), -one.margin if math.isfinite(one.margin) else -math.inf


def _name(names: tuple[str, ...], k: int, parameter: str) -> str:
    return "" if parameter in OF_SYSTEM or k >= len(names) else names[k]


def _values(limit: Limit, level: MeasuredLevel | None) -> FloatArray | None:
    """Return the values that a limit is of, (n, n_channels)."""
    if level is None:
        return None
    found = level.values.get(limit.requirement.parameter)
    if found is None:
        return None
    if limit.order is not None:
        return found[..., limit.order] if found.shape[-1] > limit.order else None
    return found


def _compared(limit: Limit, level: MeasuredLevel, values: FloatArray, k: int, basis: Basis) -> FloatArray:
    """Return values in the unit of the limit."""
    relative = limit.requirement.relative
    if relative == "deviation":
        return 100 * (values / basis.declared - 1)
    if relative == "U_din":
        return 100 * values / basis.declared
    if relative == "fundamental":
        return np.asarray(100 * values / level.values[limit.requirement.parameter][:, k, 1])
    return 100 * values / basis.inputs[relative] if relative else values


def _of_channel(
    limit: Limit,
    of: LimitSet,
    level: MeasuredLevel,
    values: FloatArray,
    usable: BoolArray,
    name: str,
    k: int,
    basis: Basis,
    few: bool,
) -> Judged:
    one = limit.requirement
    values = _compared(limit, level, values, k, basis)
    valid = values[usable & ~np.isnan(values)]
    n_flagged = int(np.count_nonzero(level.flagged))
    made = Judged(
        limit,
        Verdict.INSUFFICIENT,
        (),
        name,
        _statistic(limit, level.base),
        n_total=len(values),
        n_valid=len(valid),
        n_flagged=n_flagged,
    )
    wrong = basis.wrong.get(name, "") if name else _wrong_of_system(one.parameter, basis)
    if wrong:
        return msgspec.structs.replace(made, verdict=Verdict.NOT_JUDGED, why=(f"a check says: {wrong}",))
    lengths = level.span.stops - level.span.starts
    whole = lengths >= MIN_COVERAGE * lengths.max(initial=0.0)  # a stretch that an end of the record cuts is none that is missing
    nominal = int(np.count_nonzero(whole if basis.with_flagged else whole & ~level.flagged))
    if not len(valid) or (not few and len(valid) < MIN_VALID * max(nominal, 1)):
        if np.isnan(values).all():
            return msgspec.structs.replace(made, why=(f"this record holds no values of it every {level.base}",))
        said = (
            f"{len(valid)} of {len(values)} values of {level.base} are whole and not flagged; {100 * MIN_VALID:.0f} % are needed"
        )
        return msgspec.structs.replace(made, why=(said,))
    spread = tuple(float(x) for x in np.percentile(valid, [0, 0.5, 5, 50, 95, 99, 100]))
    measured = _measured(limit, valid)
    share, absolute = basis.expanded(one.parameter, limit.order, k)
    within = math.hypot(share * abs(_as_share(limit, measured)), _absolute(limit, absolute, basis, level, k))
    margin = _margin(limit, measured)
    stated = math.isfinite(within)
    by = within if stated else 0.0
    if basis.rule == "undecided":
        strict, lenient = _holds(limit, valid, -by), _holds(limit, valid, by)
    else:
        strict = lenient = _holds(limit, valid, -by if basis.rule == "guarded" else 0.0)
    verdict = Verdict.INSIDE if strict else Verdict.UNDECIDED if lenient else Verdict.OUTSIDE
    why = list(_reasons(limit, valid, n_flagged, basis, stated))
    if verdict is Verdict.OUTSIDE and one.partial_from is not None and _partial(limit, level, k, of):
        verdict = Verdict.INSIDE
        why.append(f"odd orders from {one.partial_from} may reach 150 % while together below what their limits allow")
    if verdict is not Verdict.INSIDE and _disregarded(limit, of, level, k, basis):
        verdict = Verdict.INSIDE
        why.append("so small a current is disregarded by the standard")
    return msgspec.structs.replace(
        made,
        verdict=verdict, why=tuple(why), measured=measured, within=within, margin=margin,
        share_inside=100 * float(np.mean(_inside(limit, valid, 0.0))), spread=spread,
    )  # fmt: skip


def _wrong_of_system(parameter: str, basis: Basis) -> str:
    """Return what is wrong with a value of all voltages: one of them is, or for unbalance how they are wired."""
    together = basis.wrong.get("", "") if parameter != "f" else ""
    return together or next((basis.wrong[name] for name in basis.channels.get("U", ()) if name in basis.wrong), "")


def _statistic(limit: Limit, base: str) -> str:
    one = limit.requirement
    what = {
        "share": f"{one.share:g} % of {base}" if one.share < 100 else f"every value of {base}",
        "percentile": f"{one.share:g} % of {base}",
        "maximum": "largest value",
        "average": "average",
        "value": "value",
    }
    return what[one.statistic]


def _measured(limit: Limit, valid: FloatArray) -> float:
    """Return the value that decides: of those that may not lie outside, the one nearest to a limit or farthest beyond it."""
    one = limit.requirement
    if one.statistic == "average":
        return float(valid.mean())
    margins = np.array([_margin(limit, x) for x in valid.tolist()])
    if np.isnan(margins).any():
        return float(valid.max())
    needed = one.share if one.statistic in ("share", "percentile") else 100.0
    may_be_outside = math.floor((1 - needed / 100) * len(valid) + 1e-9)
    return float(valid[np.argsort(margins, kind="stable")[min(may_be_outside, len(valid) - 1)]])


def _margin(limit: Limit, value: float) -> float:
    """Return the share of the way to the nearest limit that is left, negative beyond it."""
    low, high = limit.low, limit.high
    if low is not None and high is not None:
        middle, half = 0.5 * (low + high), 0.5 * (high - low)
        if limit.requirement.relative == "deviation":
            middle, half = 0.0, (high if value >= 0 else -low)
        return 1 - abs(value - middle) / half if half else math.nan
    limit_at = high if high is not None else low
    if not limit_at:
        return math.nan
    return (limit_at - value if high is not None else value - limit_at) / abs(limit_at)


def _inside(limit: Limit, values: FloatArray, by: float) -> BoolArray:
    """Return which values lie inside limits moved outwards by so much."""
    held = np.ones(len(values), dtype=bool)
    if limit.high is not None:
        held &= values <= limit.high + by + 1e-12 * abs(limit.high)
    if limit.low is not None:
        held &= values >= limit.low - by - 1e-12 * abs(limit.low)
    return held


def _holds(limit: Limit, valid: FloatArray, by: float) -> bool:
    one = limit.requirement
    if one.statistic == "average":
        return bool(_inside(limit, np.array([valid.mean()]), by)[0])
    needed = one.share if one.statistic in ("share", "percentile") else 100.0
    return 100 * float(np.mean(_inside(limit, valid, by))) >= needed - 1e-9


def _as_share(limit: Limit, measured: float) -> float:
    """Return what a relative uncertainty is a share of, in the unit of the limit."""
    return 100.0 + measured if limit.requirement.relative == "deviation" else measured


def _absolute(limit: Limit, absolute: float, basis: Basis, level: MeasuredLevel, k: int) -> float:
    """Return an absolute uncertainty in the unit of the limit."""
    relative = limit.requirement.relative
    if relative in ("deviation", "U_din"):
        return 100 * absolute / basis.declared
    if relative == "fundamental" and absolute:
        return 100 * absolute / float(np.nanmedian(level.values[limit.requirement.parameter][:, k, 1]))
    if relative in basis.inputs:
        return 100 * absolute / basis.inputs[relative]
    return absolute


def _reasons(limit: Limit, valid: FloatArray, n_flagged: int, basis: Basis, stated: bool) -> list[str]:
    one = limit.requirement
    inside = int(np.count_nonzero(_inside(limit, valid, 0.0)))
    said = [f"{inside} of {len(valid)} values lie inside"] if one.statistic in ("share", "percentile") else []
    if n_flagged:
        said.append(f"{n_flagged} flagged values are {'kept' if basis.with_flagged else 'left out'}")
    if not stated:
        said.append("the accuracy of the channel is not stated, so the verdict knows no uncertainty")
    if one.to_confirm:
        said.append("this limit is to be confirmed against the edition you hold")
    if one.remark:
        said.append(one.remark)
    return said


def _partial(limit: Limit, level: MeasuredLevel, k: int, of: LimitSet) -> bool:
    """Return whether an odd order may be above its limit because those orders are together below what their limits allow."""
    one = limit.requirement
    if limit.order not in _PARTIAL_ORDERS or one.partial_from is None or limit.high is None:
        return False
    orders = level.values[one.parameter][0, k]
    reached = [h for h in _PARTIAL_ORDERS if h < len(orders) and h in one.orders]
    allowed = [high for h in reached if not isinstance(high := one.orders[h], tuple)]
    if len(allowed) != len(reached) or one.scaled_by:
        return False
    unit = orders[1] / 100 if one.relative == "fundamental" else 1.0
    together = math.sqrt(sum(float(orders[h]) ** 2 for h in reached))
    return bool(orders[limit.order] <= _PARTIAL * limit.high * unit and together <= unit * math.hypot(*allowed))


def _disregarded(limit: Limit, of: LimitSet, level: MeasuredLevel, k: int, basis: Basis) -> bool:
    if of.disregarded is None or limit.order is None:
        return False
    share, least = of.disregarded
    orders = level.values[limit.requirement.parameter][0, k]
    total = float(np.sqrt(np.nansum(np.square(orders[1:]))))
    return bool(orders[limit.order] < max(share / 100 * total, least))
