"""What stands behind a cell of a table."""

from collections.abc import Iterable

from pantelos.engine.evaluation import Evaluation
from pantelos.notation import number
from pantelos.notice import Notice
from pantelos.sheets.table import Table
from pantelos.tables.explaining import Explanation
from pantelos.tables.kinds import TABLES


def explained_cell(evaluation: Evaluation, table: Table, row: int, column: int, notices: Iterable[Notice]) -> Explanation:
    """Return the explanation of a number: with accuracy where it has one, else with the method of its table."""
    key = table.columns[column].key
    heads = {of.key: str(cell) for of, cell in zip(table.columns, table.rows[row], strict=True) if isinstance(cell, str)}
    kind = TABLES.get(table.id)
    said = kind.explain(evaluation, heads, key, notices) if kind is not None and kind.explain is not None else None
    return said or _by_table(table, row, column, heads)


def _by_table(table: Table, row: int, column: int, heads: dict[str, str]) -> Explanation:
    """Return what the table itself says: its columns, what heads the row, how it was computed."""
    of, cell = table.columns[column], table.rows[row][column]
    value = f"{number(cell, 8) if isinstance(cell, float) else cell} {of.unit}".strip()
    facts = [("is", of.help)] if of.help else []
    facts += [(next(c.title for c in table.columns if c.key == key), text) for key, text in heads.items()]
    facts += [("method", line) for line in table.method]
    return Explanation(f"{of.title}, {table.title}", value, "", tuple(facts), (), (), "")
