"""What was found out about the chain, kept with the study: self-checks of a recorder."""

from collections.abc import Sequence

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.notation import counted
from pantelos.paper.paper import Role
from pantelos.progress import Progress
from pantelos.sheets.blocks import Block, Cell, CellGrid, GridColumn, GridRow, SectionHeading, Sheet, Words
from pantelos.sheets.table import Table, TableColumn
from pantelos.study.model import Study
from pantelos.tables.kind import Given, SheetLayout, TableKind


def evidence_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return every row of all self-checks that are kept."""
    kept = evaluation.study.evidence
    if not kept:
        raise StudyError("No self-check is kept in this study. Make one on the Recorder page, or with pantelos self-check.")
    columns = (
        TableColumn("at", "made"),
        TableColumn("what", "what"),
        TableColumn("channel", "channel"),
        TableColumn("value", "value"),
        TableColumn("unit", "unit"),
        TableColumn("remarks", "remarks", "", "what it is against, or why it is not given"),
    )
    rows = [(one.at, row.what, row.channel, row.value, row.unit or None, row.remark or None) for one in kept for row in one.rows]
    method = [f"{one.at}: {one.title}, {one.recorder}; {one.said}" for one in kept]
    return Table("evidence", "Self-checks of the chain", counted(len(kept), "self-check"), columns, tuple(rows), tuple(method))


# as a sheet


def _lacking(study: Study) -> str:
    return "" if study.evidence else "No self-check is kept in this study. Make one on the Recorder page."


def evidence_sheet(given: Given) -> Sheet:
    """Return the self-checks that are kept, one below the other."""
    kept = given.evaluation.study.evidence
    blocks: list[Block] = []
    columns = (
        GridColumn("", right=False),
        GridColumn("", right=False),
        GridColumn("value"),
        GridColumn("", right=False, share=0.5),
    )
    for one in kept:
        blocks += [SectionHeading(f"{one.title}, {one.at}"), Words(f"{one.recorder}: {one.said}", Role.SOFT)]
        rows = [
            GridRow((
                Cell(row.what, bold=True), Cell(row.channel),
                Cell(row.text), Cell(row.remark, ink=Role.SOFT),
            ))
            for row in one.rows
        ]  # fmt: skip
        blocks.append(CellGrid(columns, tuple(rows)))
    return Sheet("evidence", "Self-checks of the chain", counted(len(kept), "self-check"), tuple(blocks))


EVIDENCE_TABLE = TableKind(
    "evidence",
    "Self-checks of the chain",
    "what outputs wired into inputs have shown",
    evidence_table,
    layout=SheetLayout(evidence_sheet, "Self-checks", "what the chain can at best show", usual=False, place=11, lacks=_lacking),
    place=60,
)
