"""The table of a map: a row per operating point."""

import math

from pantelos.engine.evaluation import Evaluation
from pantelos.panels.map import points_of
from pantelos.progress import Progress
from pantelos.sheets.table import Table, TableColumn, cell
from pantelos.study.shown import Panel


def map_tables(evaluation: Evaluation, panel: Panel, progress: Progress) -> tuple[Table, ...]:
    """Return the points of a map, each in the units of its channels."""
    names = panel.channels[:3]
    points = points_of(evaluation, panel.channels, progress)
    units = [evaluation.names.unit(name) for name in names]
    factors = [one.factor for one in units]
    symbols = ["" if one.symbol == "1" else one.symbol for one in units]
    columns = (
        TableColumn("interval", "interval"),
        TableColumn("dwell", "dwell", "s"),
        *(TableColumn(key, name, symbol) for key, name, symbol in zip(("x", "y", "value"), names, symbols, strict=True)),
        TableColumn("U", f"± {names[2]}", symbols[2], "expanded, k = 2; empty where not stated"),
    )
    rows = tuple(
        (
            p.interval,
            cell(p.dwell_s),
            cell(p.x / factors[0]),
            cell(p.y / factors[1]),
            cell(p.value / factors[2]),
            cell(p.expanded / factors[2]) if math.isfinite(p.expanded) else None,
        )
        for p in points
    )
    there = {p.interval for p in points}
    lacking = [interval.name for interval in evaluation.study.intervals if interval.name not in there]
    method = (
        *((f"without a value, so without a point: {', '.join(lacking)}",) if lacking else ()),
        "means over each interval (rms of what alternates), formulas as they are over it",
        "± expanded uncertainty, k = 2, after the GUM",
    )
    return (Table("map", f"{names[2]} over {names[0]} and {names[1]}", f"{len(rows)} operating points", columns, rows, method),)
