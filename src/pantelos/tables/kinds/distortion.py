"""THD per channel and interval."""

import math
from collections.abc import Sequence

from pantelos.engine.evaluation import Evaluation
from pantelos.notation import counted
from pantelos.progress import Progress
from pantelos.reading.kinds import READINGS
from pantelos.sheets.table import Table, TableCell, TableColumn, cell
from pantelos.signal.harmonics.distortion import total_harmonic_distortion
from pantelos.tables.kind import TableKind
from pantelos.tables.kinds.orders import HARMONIC_METHOD, PERCENT, SHARE, parts
from pantelos.tables.subjects import windows_used


def distortion_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return rms, fundamental and distortion of those channels, one row each."""
    channels, found_parts, not_given = parts(evaluation, places, progress)
    columns = (
        TableColumn("interval", "interval"),
        TableColumn("channel", "channel"),
        TableColumn("unit", "unit"),
        TableColumn("rms", "rms", "", "all orders and the mean"),
        TableColumn("fundamental", "fundamental", "", "rms of order 1"),
        TableColumn("dc", "mean", "", "order 0"),
        TableColumn("harmonics", "rms of orders 2 and up"),
        TableColumn("thd", "THD", "%", "against the fundamental"),
        TableColumn("thd_r", "THD_R", "%", "against the rms of all orders"),
        TableColumn("total", "total distortion", "%", "all that alternates beside the fundamental: beyond the orders too"),
        TableColumn("largest_order", "largest order", "", "of orders 2 and up"),
        TableColumn("largest_percent", "largest", SHARE),
        TableColumn("reference", "cycles of", "", "whose cycles the windows hold"),
    )
    rms_kind, total_kind = READINGS["rms"], READINGS["total_distortion"]
    rows: list[tuple[TableCell, ...]] = []
    for part in found_parts:
        place, table = part.place, part.orders.rms
        for k, name in enumerate(part.channels):
            shown, row = evaluation.names.unit(name), table[k]
            given = row[1] > evaluation.samples.low_signal(name)
            thd = float(total_harmonic_distortion(row)) if given else math.nan
            upper = [x if math.isfinite(x) else -1.0 for x in row[2:].tolist()]
            largest = 2 + upper.index(max(upper))
            rows.append(
                (
                    place,
                    name,
                    shown.symbol,
                    cell(evaluation.reading(rms_kind, [name], place).value / shown.factor),
                    cell(float(row[1]) / shown.factor),
                    cell(float(row[0]) / shown.factor),
                    cell(thd * float(row[1]) / shown.factor),
                    cell(thd / PERCENT),
                    cell(thd / math.hypot(1, thd) / PERCENT),
                    cell(evaluation.reading(total_kind, [name], place).value / PERCENT),
                    largest if given else None,
                    cell(float(row[largest] / row[1]) / PERCENT if given else math.nan),
                    part.reference,
                )
            )
    method = (
        "THD: orders 2 to the highest given, harmonic components, against the fundamental; THD_R against all orders",
        "total distortion: rms without mean and fundamental, so harmonics of every order, carrier, noise and what lies between",
        *HARMONIC_METHOD,
        *windows_used(evaluation, places),
        *not_given,
    )
    return Table(
        "distortion",
        "Distortion",
        f"{counted(len(channels), 'channel')}, {counted(len(places), 'interval')}",
        columns,
        tuple(rows),
        method,
    )


DISTORTION_TABLE = TableKind("distortion", "Distortion", "THD per channel and interval", distortion_table, place=4)
