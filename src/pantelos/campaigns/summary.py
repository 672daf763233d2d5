"""What all rows say together: mean, scatter, extremes, worst ±, standing to limits, and which records are unlike the others."""

import math
import statistics
from collections.abc import Sequence

import msgspec
import numpy as np

from pantelos.campaigns.conditions import Limit, Standing, standing
from pantelos.campaigns.rows import Known
from pantelos.notation import number
from pantelos.signal.sums.unlike import unlike_the_others as unlike


class Summary(msgspec.Struct, frozen=True):
    """One value over all records."""

    name: str
    unit: str
    n: int
    mean: float
    s: float  # standard deviation of single values
    low: float
    low_in: str
    high: float
    high_in: str
    worst: float  # largest expanded uncertainty
    inside: int = 0
    outside: int = 0
    undecided: int = 0


def summary_of(name: str, records: Sequence[Known], limits: Sequence[Limit]) -> Summary:
    """Return one value over records."""
    given = [(known, cell) for known in records if (cell := known.cells.get(name)) is not None and cell.value is not None]
    values = [cell.value for _, cell in given if cell.value is not None]
    units = {cell.unit for _, cell in given}
    symbol = units.pop() if len(units) == 1 else ""
    stands = [standing(known.cells.get(name), limit) for limit in limits if limit.name == name for known, _ in given]
    counts = {of: stands.count(of) for of in Standing}
    if not values:
        return Summary(name, symbol, 0, math.nan, math.nan, math.nan, "", math.nan, "", math.nan)
    low, high = values.index(min(values)), values.index(max(values))
    return Summary(
        name,
        symbol,
        len(values),
        statistics.fmean(values),
        statistics.stdev(values) if len(values) > 1 else math.nan,
        values[low],
        given[low][0].name,
        values[high],
        given[high][0].name,
        max((cell.expanded for _, cell in given if cell.expanded is not None), default=math.nan),
        counts[Standing.INSIDE],
        counts[Standing.OUTSIDE],
        counts[Standing.UNDECIDED],
    )


def unlike_the_others(names: Sequence[str], records: Sequence[Known]) -> dict[int, str]:
    """Return by record what is unlike the others in it: values far from the median, as scatter about it goes."""
    found: dict[int, list[str]] = {}
    for name in names:
        given = [
            (known, cell.value) for known in records if (cell := known.cells.get(name)) is not None and cell.value is not None
        ]
        own = np.array([known.cells[name].expanded or 0.0 for known, _ in given])
        odd, middle = unlike(np.array([value for _, value in given]), own)
        for (known, value), is_odd in zip(given, odd.tolist(), strict=True):
            if is_odd:
                found.setdefault(known.id, []).append(f"{name} {number(value, 4)}, usually {number(middle, 4)}")
    return {id_: "; ".join(said) for id_, said in found.items()}
