"""Readings side by side: one column per interval, differences and ratios against the first of them."""

import math
from collections.abc import Iterable, Sequence

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError, StudyError
from pantelos.formula.compiled import Kind
from pantelos.notation import counted
from pantelos.notice import Notice
from pantelos.progress import Progress
from pantelos.reading.kinds import reading_kind
from pantelos.reading.reading import general_method
from pantelos.report.explaining import Explanation, explain_reading
from pantelos.report.sheets.sheet import Heads, TableKind
from pantelos.report.table import Cell, Table, TableColumn, cell


def comparison_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return the readings shown beside the lanes for every channel, intervals side by side."""
    if len(places) < 2:
        raise StudyError("A comparison needs two intervals. Choose more, or make some.")
    chosen = evaluation.study.columns
    readings = dict.fromkeys([*([chosen.compare] if chosen.compare else []), *chosen.readings])
    names = evaluation.computable(Kind.SIGNAL, Kind.SERIES)
    first = evaluation.study.active if evaluation.study.active in places else places[0]
    others = [place for place in places if place != first]
    rows: list[tuple[Cell, ...]] = []
    for at, name in enumerate(names):
        for reading in readings:
            kind = reading_kind(reading)
            assert kind is not None
            shown = kind.unit([evaluation.names.unit(name)])
            values: dict[str, float] = {}
            for place in places:
                try:
                    values[place] = evaluation.reading(kind, [name], place).value / shown.factor
                except PantelosError:
                    values[place] = math.nan
            base = values[str(first)]
            rows.append(
                (
                    name,
                    reading,
                    shown.symbol,
                    *(cell(values[place]) for place in places),
                    *(cell(values[place] - base) for place in others),
                    *(cell(values[place] / base if base else math.nan) for place in others),
                )
            )
        progress.at((at + 1) / len(names))
    columns = (
        TableColumn("channel", "channel"),
        TableColumn("reading", "reading"),
        TableColumn("unit", "unit"),
        *(TableColumn(place, place, "", f"in {place}") for place in places),
        *(TableColumn(f"diff:{place}", f"Δ {place}", "", f"{place} minus {first}") for place in others),
        *(TableColumn(f"ratio:{place}", f"÷ {place}", "", f"{place} over {first}") for place in others),
    )
    method = [f"Δ and ÷ are against {first}"]
    method += [f"{kind.title}: {general_method(kind)}" for name in readings if (kind := reading_kind(name)) is not None]
    return Table(
        "comparison", "Comparison", f"{counted(len(places), 'interval')} side by side", columns, tuple(rows), tuple(method)
    )


def _explained(evaluation: Evaluation, heads: Heads, key: str, notices: Iterable[Notice]) -> Explanation | None:
    kind = reading_kind(heads["reading"])
    if kind is None or not any(interval.name == key for interval in evaluation.study.intervals):
        return None
    return explain_reading(evaluation, kind, [heads["channel"]], key, notices)


COMPARISON_TABLE = TableKind(
    "comparison", "Comparison", "intervals side by side, differences and ratios", comparison_table, _explained, place=5
)
