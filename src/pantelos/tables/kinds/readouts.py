"""Formulas that are single values."""

from collections.abc import Iterable, Sequence

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.formula.compiled import Kind
from pantelos.formula.derived import Scalar
from pantelos.notation import counted
from pantelos.notice import Notice
from pantelos.progress import Progress
from pantelos.sheets.table import Table, TableCell, TableColumn, cell
from pantelos.tables.explaining import Explanation, explain_value
from pantelos.tables.kind import Heads, TableKind


def readouts_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return the formulas that are single values, with what they rest on."""
    names = evaluation.computable(Kind.SCALAR)
    if not names:
        raise StudyError("No formula of this study is a single value. Define one, such as eta = mean(p2) / mean(p1).")
    rows: list[tuple[TableCell, ...]] = []
    method: list[str] = []
    for name in names:
        value = evaluation.samples.resolve(name)
        assert isinstance(value, Scalar)
        shown = evaluation.names.unit(name)
        formula = evaluation.study.formula(name)
        assert formula is not None
        rows.append((name, cell(value.value / shown.factor), shown.symbol, formula.text))
        method += [f"{name}: {line}" for line in value.explained]
    columns = (
        TableColumn("name", "name"),
        TableColumn("value", "value"),
        TableColumn("unit", "unit"),
        TableColumn("formula", "formula"),
    )
    return Table("readouts", "Readouts", counted(len(names), "formula"), columns, tuple(rows), tuple(method))


def _explained(evaluation: Evaluation, heads: Heads, key: str, notices: Iterable[Notice]) -> Explanation | None:
    return explain_value(evaluation, heads["name"], notices)


READOUTS_TABLE = TableKind("readouts", "Readouts", "formulas with a single value", readouts_table, _explained, place=8)
