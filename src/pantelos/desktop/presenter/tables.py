"""What stands behind a cell of a table."""

from collections.abc import Iterable

from pantelos.engine.evaluation import Evaluation
from pantelos.notation import number
from pantelos.notice import Notice
from pantelos.reading.kinds import reading_kind
from pantelos.report.explaining import Explanation, explain_power, explain_reading, explain_value
from pantelos.report.table import Table


def explained_cell(evaluation: Evaluation, table: Table, row: int, column: int, notices: Iterable[Notice]) -> Explanation:
    """Return the explanation of a number: with accuracy where it has one, else with the method of its table."""
    key = table.columns[column].key
    heads = {of.key: str(cell) for of, cell in zip(table.columns, table.rows[row], strict=True) if isinstance(cell, str)}
    return _with_accuracy(evaluation, table.id, heads, key, notices) or _by_table(table, row, column, heads)


def _with_accuracy(
    evaluation: Evaluation, table: str, heads: dict[str, str], key: str, notices: Iterable[Notice]
) -> Explanation | None:
    match table:
        case "readings" if (kind := reading_kind(key)) is not None:
            return explain_reading(evaluation, kind, [heads["channel"]], heads["interval"], notices)
        case "comparison" if any(interval.name == key for interval in evaluation.study.intervals):
            compared = reading_kind(heads["reading"])
            return explain_reading(evaluation, compared, [heads["channel"]], key, notices) if compared is not None else None
        case "readouts":
            return explain_value(evaluation, heads["name"], notices)
        case "power":
            connection = evaluation.study.connection(heads["connection"])
            return explain_power(evaluation, connection, heads["element"], key, heads["interval"], notices)
    return None


def _by_table(table: Table, row: int, column: int, heads: dict[str, str]) -> Explanation:
    """Return what the table itself says: its columns, what heads the row, how it was computed."""
    of, cell = table.columns[column], table.rows[row][column]
    value = f"{number(cell, 8) if isinstance(cell, float) else cell} {of.unit}".strip()
    facts = [("is", of.help)] if of.help else []
    facts += [(next(c.title for c in table.columns if c.key == key), text) for key, text in heads.items()]
    facts += [("method", line) for line in table.method]
    return Explanation(f"{of.title}, {table.title}", value, "", tuple(facts), (), (), "")
