"""The kinds of sheet: a file each."""

from pantelos.handover.sheets.sheet import Given, SheetKind
from pantelos.registry import Registry, defined_in

SHEETS = Registry("sheet", lambda kind: kind.id, defined_in(__name__, SheetKind, lambda kind: kind.place))

__all__ = ["SHEETS", "Given", "SheetKind"]
