"""Numbers as a sheet shows them: one unit for a row, digits by accuracy."""

import math
from collections.abc import Sequence

from pantelos.notation import MISSING, PARTLY, decimals_of, digits_after_point, minus, prefix_for, rounded
from pantelos.paper.paper import Ink, Role
from pantelos.sheets.blocks import About, Cell
from pantelos.units import Unit

_DIGITS, _MOST_DIGITS = 5, 6


def row_cells(
    values: Sequence[float],
    expanded: Sequence[float],
    unit: Unit,
    inks: Sequence[Ink],
    abouts: Sequence[About | None],
    accuracy: bool,
    bold: Sequence[bool],
    partly: Sequence[bool] = (),
    seen: Sequence[float] = (),
) -> tuple[str, list[Cell]]:
    """Return the unit of a row, and a cell for each value, SI; each with the decimals that its accuracy gives it.

    `expanded` holds NaN where no accuracy is stated; one that is `partly` there is marked. `seen` is what
    steps and noise of the record leave of a value without accuracy.
    """
    sizes = [(abs(x), u if math.isfinite(u) else 0.0) for x, u in zip(values, expanded, strict=True) if math.isfinite(x)]
    largest = max((max(size) for size in sizes), default=0.0)
    scale, symbol = prefix_for(largest, unit)
    usual = digits_after_point(largest / scale, _DIGITS) if largest else 0
    most = digits_after_point(largest / scale, _MOST_DIGITS) if largest else 0
    cells = []
    marks = [PARTLY if part else "" for part in partly] or [""] * len(values)
    left = seen or [math.nan] * len(values)
    for value, u, ink, about, strong, mark, own in zip(values, expanded, inks, abouts, bold, marks, left, strict=True):
        if not math.isfinite(value):
            cells.append(Cell(MISSING, ink=Role.SOFT, about=about))
            continue
        stated = math.isfinite(u) and u > 0
        decimals = min(decimals_of(u / scale), most) if stated else usual
        if not stated and math.isfinite(own) and own > 0:
            decimals = min(decimals, decimals_of(own / scale))
        within = f"±{rounded(_up(u / scale, decimals), decimals)}{mark}" if stated and accuracy else ""
        cells.append(Cell(rounded(value / scale, decimals), within, ink, strong, about=about, value=value / scale))
    return symbol, cells


def _up(within: float, decimals: int) -> float:
    """Return an accuracy that is not less than it is where fewer digits are shown than it has."""
    step = 10.0**-decimals
    return within if decimals >= decimals_of(within) else math.ceil(within / step - 1e-9) * step


def plain(value: float | None, digits: int = 5) -> str:
    """Return a number without a unit; a dash for a missing one."""
    if value is None or not math.isfinite(value):
        return MISSING
    return minus(f"{value:.{digits_after_point(value, digits)}f}")


def beside_limit(value: float, within: float) -> tuple[str, str]:
    """Return a value and its accuracy with digits that belong together."""
    if not math.isfinite(value):
        return MISSING, ""
    if math.isfinite(within) and within > 0:
        decimals = decimals_of(within)
        return rounded(value, decimals), f"±{rounded(within, decimals)}"
    return plain(value, 4), ""
