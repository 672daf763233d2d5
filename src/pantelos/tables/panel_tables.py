"""The numbers of a panel as tables, where it hands over any."""

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.panels import PANELS, panel_kind
from pantelos.panels.subjects import over_its_stretch, with_stretches
from pantelos.progress import Progress
from pantelos.sheets.table import TableSet
from pantelos.study.model import WHOLE_RECORD
from pantelos.study.shown import Panel
from pantelos.tables.provenance import provenance_of


def panel_tables(evaluation: Evaluation, panel: Panel, progress: Progress | None = None) -> TableSet:
    """Return the numbers of a panel and their provenance.

    Raises
    ------
    StudyError
        When panels of that kind hand over pictures only, or there is nothing to show.
    """
    build = panel_kind(panel.kind).tables
    if build is None:
        able = ", ".join(kind.id for kind in PANELS if kind.numbers)
        raise StudyError(f"A panel {panel.kind} hands over pictures, no numbers. Choose one of {able}.")
    there = with_stretches(evaluation, [panel])
    shown = over_its_stretch(panel)
    tables = build(there, shown, progress or Progress())
    named = shown.interval or there.study.active or WHOLE_RECORD
    return TableSet(tables, provenance_of(there, [named]))
