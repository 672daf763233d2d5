"""Magnitude, share and angle per order."""

from collections.abc import Sequence

from pantelos.engine.evaluation import Evaluation
from pantelos.notation import counted
from pantelos.progress import Progress
from pantelos.report.sheets.orders import HARMONIC_METHOD, NO_FIGURES, SHARE, figures, parts
from pantelos.report.sheets.sheet import TableKind
from pantelos.report.subjects import windows_used
from pantelos.report.table import Cell, Table, TableColumn, cell
from pantelos.study.wired import conductor_of


def harmonics_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return magnitude, share and angle per order of the channels in alternating connections."""
    channels, found_parts, not_given = parts(evaluation, places, progress)
    hues = [conductor_of(evaluation.study, name) for name in channels]
    columns = [TableColumn("interval", "interval"), TableColumn("order", "order"), TableColumn("f", "f", "Hz")]
    columns += [
        TableColumn(name, name, evaluation.names.unit(name).symbol, "rms of the order", hue)
        for name, hue in zip(channels, hues, strict=True)
    ]
    columns += [
        TableColumn(f"{name}_percent", name, SHARE, "share of the fundamental", hue)
        for name, hue in zip(channels, hues, strict=True)
    ]
    columns += [
        TableColumn(f"{name}_angle", f"{name} angle", "°", "angle against the fundamental of the reference", hue)
        for name, hue in zip(channels, hues, strict=True)
    ]
    columns.append(TableColumn("reference", "cycles of", "", "whose cycles the windows hold"))
    rows: list[tuple[Cell, ...]] = []
    for part in found_parts:
        found = figures(evaluation, part)
        for h in range(1, part.orders.highest + 1):
            row = [found.get(name, NO_FIGURES)[:, h] for name in channels]
            cells = [cell(float(one[quantity])) for quantity in range(3) for one in row]
            rows.append((part.place, h, cell(h * part.orders.frequency_hz), *cells, part.reference))
    method = (*HARMONIC_METHOD, *windows_used(evaluation, places), *not_given)
    return Table(
        "harmonics",
        "Harmonics",
        f"{counted(len(channels), 'channel')}, to order {evaluation.study.highest_order}",
        tuple(columns),
        tuple(rows),
        method,
    )


HARMONICS_TABLE = TableKind("harmonics", "Harmonics", "magnitude, share, angle per order", harmonics_table, place=3)
