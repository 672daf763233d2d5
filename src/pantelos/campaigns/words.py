"""A value of a campaign in words, the same on the command line and in the window."""

from collections.abc import Sequence

from pantelos.campaigns.conditions import Limit
from pantelos.campaigns.rows import Cell, Known
from pantelos.notation import MISSING, number, with_accuracy, with_accuracy_once, with_unit
from pantelos.units import Unit, unit


def said(cell: Cell | None) -> str:
    """Return a value with its unit and its ±."""
    if cell is None or cell.value is None:
        return MISSING
    of = unit(cell.unit or "1")
    value = cell.value * of.factor
    return with_unit(value, of) if cell.expanded is None else with_accuracy(value, cell.expanded * of.factor, of)


def unit_of(name: str, records: Sequence[Known], limits: Sequence[Limit]) -> Unit:
    """Return the unit of the column of a value: that of its limit, else that of the first record that has it."""
    symbol = next((cell.unit for known in records if (cell := known.cells.get(name)) is not None and cell.value is not None), "")
    own = unit(symbol or "1")
    limit = next((limit for limit in limits if limit.name == name), None)
    return limit.unit if limit is not None and limit.unit.like(own) else own


def said_in(cell: Cell | None, shown: Unit) -> str:
    """Return a value with its ± under a heading that states the unit."""
    if cell is None or cell.value is None:
        return MISSING
    factor = unit(cell.unit or "1").factor / shown.factor
    if cell.expanded is None:
        return number(cell.value * factor, 5)
    return with_accuracy_once(cell.value * factor, cell.expanded * factor, unit("1"))
