"""Values with their expanded uncertainty and what it is mostly made of: readings beside the lanes, and powers."""

import math
from collections.abc import Iterator, Sequence

from pantelos.accuracy.budget import COVERAGE_FACTOR
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.uncertainty import Stated, power_accuracy, try_accuracy
from pantelos.errors import PantelosError, StudyError
from pantelos.formula.compiled import Kind
from pantelos.notation import counted
from pantelos.power.quantity_rows import budgeted, parts_of
from pantelos.progress import Progress
from pantelos.reading.kinds import reading_kind
from pantelos.sheets.table import Table, TableCell, TableColumn, cell
from pantelos.tables.kind import TableKind
from pantelos.units import Unit


def accuracy_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return value, U, k and range of every shown reading and of every power whose channels state their accuracy."""
    rows: list[tuple[TableCell, ...]] = []
    for at, place in enumerate(places):
        rows += [*_readings(evaluation, place), *_powers(evaluation, place)]
        progress.at((at + 1) / len(places))
    if not rows:
        raise StudyError("No channel states its accuracy. Add it to a scaling chain, such as accuracy 0.5 % + 20 mA.")
    columns = (
        TableColumn("interval", "interval"),
        TableColumn("channel", "channel or element"),
        TableColumn("reading", "reading"),
        TableColumn("value", "value"),
        TableColumn("U", "U", "", "expanded uncertainty"),
        TableColumn("k", "k", "", "coverage factor"),
        TableColumn("unit", "unit"),
        TableColumn("low", "lowest", "", "value − U"),
        TableColumn("high", "highest", "", "value + U"),
        TableColumn("largest", "mostly from", "", "the input that contributes most"),
        TableColumn("leaves_out", "leaves out", "", "what nobody stated and would matter"),
    )
    method = (
        "U = k · u, k = 2 (about 95 %); u: root sum of squares of sensitivity times standard uncertainty; ISO/IEC Guide 98-3",
        "limits of gain, offset, delay, phase and clock: rectangular, a / √3; a step q of resolution: q / √12",
        "noise: rms as stated, or as the record shows it",
        "inputs of one channel are the same in all its samples, but for noise; rounding is the same in all on one step",
        "channels are independent",
        "clipped channels and channels that state no accuracy are not listed",
    )
    return Table(
        "accuracy", "Accuracy", f"{counted(len(rows), 'value')}, {counted(len(places), 'interval')}", columns, tuple(rows), method
    )


def _row(place: str, of: str, name: str, value: float, stated: Stated, shown: Unit) -> tuple[TableCell, ...]:
    assert stated.budget is not None
    expanded = stated.expanded / shown.factor
    value /= shown.factor
    return (
        place,
        of,
        name,
        cell(value),
        cell(expanded),
        round(COVERAGE_FACTOR),
        shown.symbol,
        cell(value - expanded),
        cell(value + expanded),
        stated.budget.largest_first()[0].input.title,
        stated.leaves_out or None,
    )


def _readings(evaluation: Evaluation, place: str) -> Iterator[tuple[TableCell, ...]]:
    for name in evaluation.computable(Kind.SIGNAL, Kind.SERIES):
        for reading in evaluation.study.columns.readings:
            kind = reading_kind(reading)
            stated = try_accuracy(evaluation, kind, [name], place) if kind is not None else Stated(None)
            if kind is not None and math.isfinite(stated.expanded):
                found = evaluation.reading(kind, [name], place)
                yield _row(place, name, kind.title, found.value, stated, found.unit)


def _powers(evaluation: Evaluation, place: str) -> Iterator[tuple[TableCell, ...]]:
    for connection in evaluation.study.connections:
        try:
            kind, power = evaluation.wiring_of(connection), evaluation.power(connection, place)
            found = power_accuracy(evaluation, connection, place)
        except PantelosError:
            continue
        for element, of in parts_of(power, [e.name for e in kind.elements]).items():
            if element == "total" and not power.several:
                continue
            for quantity in budgeted():
                stated = found[element, quantity.id]
                if math.isfinite(stated.expanded) and kind.tells(quantity.id):
                    yield _row(
                        place, f"{connection.name} {element}", quantity.id, float(quantity.value(*of)), stated, quantity.unit
                    )


ACCURACY_TABLE = TableKind(
    "accuracy", "Accuracy", "values with U, k, range and the largest contribution", accuracy_table, place=6
)
