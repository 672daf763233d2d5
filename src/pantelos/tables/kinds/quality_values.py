"""The values that verdicts rest on: every ten minutes, and every two hours, of every channel."""

from collections.abc import Sequence

import numpy as np

from pantelos.engine.clock import clock_at
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.quality import Surveyed, surveyed
from pantelos.errors import PantelosError, StudyError
from pantelos.notation import counted
from pantelos.progress import Progress
from pantelos.quality.levels import MeasuredLevel
from pantelos.sheets.table import Table, TableCell, TableColumn, cell
from pantelos.study.model import Quality
from pantelos.tables.kind import TableKind
from pantelos.tables.kinds.quality import survey_method

# Parameters of a table: what they are called, their unit, and what they are.
_FEWEST_CHARTED = 3  # values
_SHOWN = {
    "f": ("f", "Hz", "frequency"),
    "U": ("U", "V", "rms"),
    "under": ("under", "%", "under-deviation from U_din"),
    "over": ("over", "%", "over-deviation from U_din"),
    "Pst": ("Pst", "", "short-term flicker"),
    "Plt": ("Plt", "", "long-term flicker"),
    "u2": ("u₂", "%", "negative over positive sequence"),
    "u0": ("u₀", "%", "zero over positive sequence"),
    "THD": ("THD", "%", "subgroups of orders 2 to 40"),
    "signal": ("signalling", "V", "level of mains signalling"),
    "I": ("I", "A", "rms"),
    "THD I": ("THD of i", "%", "subgroups of orders 2 to 40"),
}


def _table(id_: str, title: str, base: str, evaluation: Evaluation, progress: Progress) -> Table:
    if evaluation.study.quality == Quality():
        raise StudyError(
            "Nothing is declared of the supply yet. State U_din on the Tables page, or with --declare 'U_din = 230 V'."
        )
    found = surveyed(evaluation, progress)
    level = found.survey.levels.get(base)
    if level is None or not len(level.span):
        raise StudyError(f"This record holds no values of {base}.")
    shown = [(name, *_SHOWN[name]) for name in _SHOWN if name in level.values]
    columns = [
        TableColumn("time", "begins", "s"),
        TableColumn("clock", "date and time"),
        TableColumn("coverage", "measured", "%", "share of the stretch"),
        TableColumn("flagged", "flagged", "", "a dip, swell or interruption lies in it"),
    ]
    for name, symbol, unit, said in shown:
        columns += [
            TableColumn(f"{name} {channel}".strip(), f"{symbol} {channel}".strip(), unit, said)
            for channel in _channels(found, level, name)
        ]
    rows = [_row(evaluation, level, [name for name, *_ in shown], k) for k in range(len(level.span))]
    return Table(
        id_, title, f"{counted(len(rows), 'value')} of {base}", tuple(columns), tuple(rows), tuple(survey_method(found.survey))
    )


def _channels(found: Surveyed, level: MeasuredLevel, name: str) -> tuple[str, ...]:
    names, n = found.names(name), level.values[name].shape[1]
    return names if len(names) == n else tuple(str(k + 1) for k in range(n)) if n > 1 else ("",)


def _row(evaluation: Evaluation, level: MeasuredLevel, names: Sequence[str], k: int) -> tuple[TableCell, ...]:
    start = evaluation.times.instant(float(level.span.starts[k]))
    values = np.concatenate([level.values[name][k] for name in names])
    flagged = "flagged" if level.flagged[k] else None
    return start, clock_at(evaluation, start), 100 * float(level.coverage[k]), flagged, *(cell(x) for x in values.tolist())


def ten_minutes_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return the values of ten minutes."""
    return _table("ten_minutes", "Values of 10 min", "10 min", evaluation, progress)


def two_hours_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return the values of two hours."""
    return _table("two_hours", "Values of 2 h", "2 h", evaluation, progress)


def ten_seconds_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return the frequencies of ten seconds."""
    return _table("ten_seconds", "Frequency of 10 s", "10 s", evaluation, progress)


def trends_of(evaluation: Evaluation) -> Table | None:
    """Return the values of ten minutes, or None where there are too few for a chart."""
    try:
        found = ten_minutes_table(evaluation, (), Progress())
    except PantelosError:
        return None
    return found if len(found.rows) >= _FEWEST_CHARTED else None


TEN_MINUTES_TABLE = TableKind(
    "ten_minutes", "Values of 10 min", "what verdicts rest on", ten_minutes_table, on_request=True, place=20
)
TWO_HOURS_TABLE = TableKind(
    "two_hours", "Values of 2 h", "long-term flicker and aggregates", two_hours_table, on_request=True, place=21
)
TEN_SECONDS_TABLE = TableKind("ten_seconds", "Frequency of 10 s", "every 10 s", ten_seconds_table, on_request=True, place=22)
