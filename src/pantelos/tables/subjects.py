"""Which intervals a table is made for, and what its numbers really rest on there."""

from collections.abc import Sequence

from pantelos.engine.evaluation import Evaluation
from pantelos.notation import from_to
from pantelos.signal.cycles.window import evaluation_window
from pantelos.study.model import WHOLE_RECORD, Study


def chosen_intervals(study: Study, names: Sequence[str] | None = None) -> list[str]:
    """Return the intervals tables are made for: those asked for, else all, else the whole record."""
    if names:
        return [name if name == WHOLE_RECORD else study.interval(name).name for name in names]
    return [interval.name for interval in study.intervals] or [WHOLE_RECORD]


def windows_used(evaluation: Evaluation, places: Sequence[str]) -> list[str]:
    """Return, per interval, the stretch that cycle-bound numbers really rest on."""
    lines = []
    for name in places:
        for reference in evaluation.references.used():
            window = evaluation_window(reference.cycles, *evaluation.times.span(name))
            held = f"{window.n_cycles} whole cycles of {reference.channel}" if window.n_cycles else "all samples"
            start, stop = evaluation.times.instant(window.start), evaluation.times.instant(window.stop)
            lines.append(f"{name}: {held}, {from_to(start, stop, '.6f')}, {window.rule} rule")
    return lines
