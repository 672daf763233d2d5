"""What would turn a verdict: the smallest change of what it rests on."""

import math

from pantelos.notation import counted
from pantelos.quality.verdicts import MIN_VALID, Judged, Verdict


def turning(one: Judged) -> str:
    """Return what would turn a verdict, in a sentence; empty where nobody can say.

    Of values: how many more beyond the limit, or how many fewer. Of an undecided one: how small the uncertainty would have to be.
    Of a period that is not full: how many values are missing. And whether it is one channel alone that decides.
    """
    if one.verdict is Verdict.INSUFFICIENT:
        lacking = math.ceil(MIN_VALID * one.n_wanted) - one.n_there
        return f"{counted(lacking, 'more value')} for a verdict" if one.n_wanted and lacking > 0 else ""
    said = _of_uncertainty(one) if one.verdict is Verdict.UNDECIDED else _of_values(one)
    alone = f"; {one.channel} alone decides" if one.alone and one.channel else ""
    return f"{said}{alone}" if said else ""


def _of_uncertainty(one: Judged) -> str:
    limit, unit = one.limit, one.limit.requirement.unit
    away = min((abs(one.measured - x) for x in (limit.low, limit.high) if x is not None), default=math.nan)
    if not math.isfinite(away) or not math.isfinite(one.within):
        return ""
    return f"± below {away:.2g} {unit}".rstrip() + f" in place of {one.within:.2g}"


def _of_values(one: Judged) -> str:
    limit, requirement = one.limit, one.limit.requirement
    unit = f" {requirement.unit}" if requirement.unit else ""
    if requirement.statistic in ("average", "value") or not math.isfinite(one.share_inside):
        away = min((abs(one.measured - x) for x in (limit.low, limit.high) if x is not None), default=math.nan)
        return f"{away:.3g}{unit} {'more' if one.verdict is Verdict.INSIDE else 'less'}" if math.isfinite(away) else ""
    needed = requirement.share if requirement.statistic in ("share", "percentile") else 100.0
    beyond = round((1 - one.share_inside / 100) * one.n_valid)
    allowed = math.floor((1 - needed / 100) * one.n_valid + 1e-9)
    if one.verdict is Verdict.INSIDE:
        return f"{counted(max(allowed - beyond, 0) + 1, 'more value')} beyond the limit, of {one.n_valid}"
    if one.verdict is Verdict.OUTSIDE and beyond > allowed:
        return f"{counted(beyond - allowed, 'value')} fewer beyond the limit, of {one.n_valid}"
    return ""
