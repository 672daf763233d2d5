"""Self-checks of the chain: what it can at best show."""

from pantelos.errors import StudyError
from pantelos.handover.blocks import Block, Cell, CellGrid, GridColumn, GridRow, SectionHeading, Sheet, Words
from pantelos.handover.sheets.sheet import Given, SheetKind
from pantelos.notation import counted
from pantelos.paper.paper import Role


def evidence_sheet(given: Given) -> Sheet:
    """Return the self-checks that are kept, one below the other."""
    kept = given.evaluation.study.evidence
    if not kept:
        raise StudyError("No self-check is kept in this study. Make one on the Recorder page.")
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


EVIDENCE_SHEET = SheetKind("evidence", "Self-checks", "what the chain can at best show", evidence_sheet, usual=False, place=11)
