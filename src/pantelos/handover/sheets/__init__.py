"""The kinds of sheet: a file each."""

from pantelos.handover.sheets.sheet import Given, SheetKind
from pantelos.registry import Registry

SHEETS = Registry.of_modules("sheet", SheetKind, __name__, "sheets")

__all__ = ["SHEETS", "Given", "SheetKind"]
