"""The user's own sheet: readouts of the study, and readings and formulas chosen for it."""

from pantelos.engine.uncertainty import Stated, value_accuracy
from pantelos.errors import PantelosError, StudyError
from pantelos.formula.compiled import Kind
from pantelos.formula.derived import Scalar
from pantelos.notation import PARTLY, counted
from pantelos.paper.paper import Role
from pantelos.sheets.blocks import About, Cell, CellGrid, GridColumn, GridRow, Sheet
from pantelos.sheets.numbers import row_cells
from pantelos.tables.kind import Given, SheetLayout, TableKind


def own_sheet(given: Given) -> Sheet:
    """Return the single values of the study, and what was chosen besides, each with its formula."""
    evaluation = given.evaluation
    readouts = evaluation.computable(Kind.SCALAR)
    texts = [*readouts, *(text for text in given.report.own if text not in readouts)]
    if not texts:
        raise StudyError("Nothing is chosen for this sheet yet: point at numbers in other sheets, or define a readout.")
    rows = [_row(given, text) for text in texts]
    columns = (
        GridColumn("", right=False),
        GridColumn("value"),
        GridColumn("", right=False),
        GridColumn("is", right=False, share=0.5),
    )
    return Sheet("own", "Own values", counted(len(rows), "value"), (CellGrid(columns, tuple(rows)),))


def _row(given: Given, text: str) -> GridRow:
    evaluation = given.evaluation
    formula = evaluation.study.formula(text)
    about = About("readouts", (("name", text),), "value") if formula is not None else None
    said = formula.expression if formula is not None else ""
    try:
        found = evaluation.samples.resolve(text) if formula is not None else evaluation.value(text)
    except PantelosError as error:
        return GridRow((Cell(text, bold=True), Cell("—", ink=Role.SOFT), Cell(), Cell(f"not given: {error}", ink=Role.CAUTION)))
    if not isinstance(found, Scalar):
        return GridRow((Cell(text, bold=True), Cell("—", ink=Role.SOFT), Cell(), Cell("is no single value", ink=Role.CAUTION)))
    stated = value_accuracy(evaluation, text) if formula is not None else Stated(None)
    symbol, (cell,) = row_cells(
        [found.value],
        [stated.expanded],
        found.unit,
        [Role.INK],
        [about],
        given.report.accuracy,
        [True],
        [bool(stated.leaves_out)],
    )
    said += f" ({PARTLY} {stated.leaves_out})" if stated.leaves_out else ""
    return GridRow((Cell(text, bold=True), cell, Cell(symbol, ink=Role.SOFT), Cell(said, ink=Role.SOFT)))


OWN_SHEET = TableKind("own", "Own values", "readouts, and numbers chosen by pointing", layout=SheetLayout(own_sheet, place=9))
