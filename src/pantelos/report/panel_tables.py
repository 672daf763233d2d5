"""Which panels can hand over numbers, and how."""

from collections.abc import Callable
from typing import TypeAlias

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.panels.subjects import over_its_stretch, with_stretches
from pantelos.progress import Progress
from pantelos.report.registry import provenance_of
from pantelos.report.spectra import spectrogram_tables, spectrum_tables, transfer_tables
from pantelos.report.table import Table, TableSet
from pantelos.study.model import WHOLE_RECORD, Panel

Builder: TypeAlias = Callable[[Evaluation, Panel, Progress], tuple[Table, ...]]
_BUILDERS: dict[str, Builder] = {"spectrum": spectrum_tables, "spectrogram": spectrogram_tables, "transfer": transfer_tables}


def gives_tables(kind: str) -> bool:
    """Return whether panels of a kind hand over numbers."""
    return kind in _BUILDERS


def panel_tables(evaluation: Evaluation, panel: Panel, progress: Progress | None = None) -> TableSet:
    """Return the numbers of a panel and their provenance.

    Raises
    ------
    StudyError
        When panels of that kind hand over pictures only, or there is nothing to show.
    """
    build = _BUILDERS.get(panel.kind)
    if build is None:
        raise StudyError(f"A panel {panel.kind} hands over pictures, no numbers. Choose one of {', '.join(_BUILDERS)}.")
    there = with_stretches(evaluation, [panel])
    shown = over_its_stretch(panel)
    tables = build(there, shown, progress or Progress())
    named = shown.interval or there.study.active or WHOLE_RECORD
    return TableSet(tables, provenance_of(there, [named]))
