"""The kinds of table and sheet: a file each, with both where a table has both."""

from pantelos.registry import Registry
from pantelos.tables.kind import SheetLayout, TableKind


def _layout(kind: TableKind) -> SheetLayout:
    assert kind.layout is not None
    return kind.layout


KINDS = Registry.of_modules("table", TableKind, __name__, "tables")
TABLES = KINDS.part("table", lambda kind: kind.build is not None)
SHEETS = KINDS.part("sheet", lambda kind: kind.layout is not None, lambda kind: _layout(kind).place)

__all__ = ["KINDS", "SHEETS", "TABLES"]
