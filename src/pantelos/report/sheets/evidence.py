"""What was found out about the chain, kept with the study: self-checks of a recorder."""

from collections.abc import Sequence

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.notation import counted
from pantelos.progress import Progress
from pantelos.report.sheets.sheet import TableKind
from pantelos.report.table import Table, TableColumn


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


EVIDENCE_TABLE = TableKind(
    "evidence", "Self-checks of the chain", "what outputs wired into inputs have shown", evidence_table, place=60
)
