"""The strip below the ledger: which channel it shows, and in which row each interval's bar lies."""

from pantelos.engine.evaluation import Evaluation
from pantelos.formula.compiled import Kind
from pantelos.study.model import Interval, Study
from pantelos.units import unit


def strip_channel(evaluation: Evaluation) -> str | None:
    """Return the recorded channel that shows best what happens: the first current on the ledger, else the first channel."""
    recorded = [c.name for c in evaluation.study.channels]
    shown = [
        n for lane in evaluation.study.lanes for n in lane.channels if n in recorded and evaluation.names.kind(n) is Kind.SIGNAL
    ]
    currents = [name for name in shown if evaluation.names.unit(name).like(unit("A"))]
    return next(iter(currents + shown + recorded), None)


def bar_rows(study: Study) -> list[tuple[Interval, int]]:
    """Return every interval with the first row in which its bar overlaps no other."""
    ends: list[float] = []
    found = []
    for interval in sorted(study.intervals, key=lambda i: i.start_s):
        row = next((k for k, end in enumerate(ends) if end <= interval.start_s + 1e-9), len(ends))
        ends[row : row + 1] = [interval.stop_s]
        found.append((interval, row))
    return found
