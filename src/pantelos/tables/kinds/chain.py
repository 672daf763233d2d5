"""The power chain: power at each point, loss and efficiency of each stage and of the whole, per interval and over time."""

import math
from collections.abc import Sequence
from itertools import pairwise

from pantelos.accuracy.budget import left_out
from pantelos.engine.chain import NO_CHAIN, Chain, ChainStage, MeasuredPoint, chain_of, chain_over_time
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError
from pantelos.panels import PANELS, panel_picture
from pantelos.paper.paper import Box, Paper, Role
from pantelos.progress import Progress
from pantelos.sheets.blocks import Block, Cell, CellGrid, Figure, GridColumn, GridRow, SectionHeading, Sheet, Words
from pantelos.sheets.numbers import beside_limit, row_cells
from pantelos.sheets.table import Table, TableCell, TableColumn, cell
from pantelos.study.model import Study
from pantelos.study.shown import Panel
from pantelos.tables.kind import Given, SheetLayout, TableKind
from pantelos.units import unit

_MOST = 200_000


def chain_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return points and stages of the chain in every interval."""
    columns = (
        TableColumn("interval", "interval"),
        TableColumn("kind", "kind", "", "point, stage or whole"),
        TableColumn("name", "name"),
        TableColumn("P", "P", "W", "at a point, positive along the chain"),
        TableColumn("P_u", "± of P", "W", "k = 2"),
        TableColumn("loss", "loss", "W", "of a stage: what goes in less what comes out"),
        TableColumn("loss_u", "± of loss", "W", "k = 2, what both powers share taken with its sign"),
        TableColumn("efficiency", "η", "%", "in the direction in which power flows"),
        TableColumn("efficiency_u", "± of η", "%", "k = 2"),
        TableColumn("direction", "direction", "", "along the chain, or reverse"),
        TableColumn("E_received", "E along", "J", "energy along the chain"),
        TableColumn("E_returned", "E back", "J", "energy against it"),
        TableColumn("efficiency_energy", "η of energy", "%", "of the energies over the whole interval"),
        TableColumn("remarks", "remarks"),
    )
    rows: list[tuple[TableCell, ...]] = []
    for at, place in enumerate(places):
        found = chain_of(evaluation, place, progress.part(at / len(places), (at + 1) / len(places)))
        rows += [_point(place, point) for point in found.points]
        rows += [_stage(place, "stage", stage) for stage in found.stages]
        if found.whole is not None and len(found.points) > 2:
            rows.append(_stage(place, "whole", found.whole))
    method = (
        "P: mean over whole cycles of u · i, over all samples for DC, mean of M · ω for a shaft, product before mean",
        "loss: difference of the powers over the same interval; in reverse what comes in is at the end of the chain",
        "±: budgets of both powers put together input by input",
    )
    return Table("chain", "Power chain", " → ".join(p.connection for p in evaluation.study.chain), columns, tuple(rows), method)


def _point(place: str, point: MeasuredPoint) -> tuple[TableCell, ...]:
    lacking = f"± {left_out(point.without_phase)}" if point.without_phase else ""
    said = "; ".join(text for text in (point.why_not, *point.remarks, lacking) if text) or None
    sizes = cell(point.P), cell(point.expanded)
    energies = cell(point.received), cell(point.returned)
    return (place, "point", point.name, *sizes, None, None, None, None, None, *energies, None, said)


def _stage(place: str, kind: str, stage: ChainStage) -> tuple[TableCell, ...]:
    values = (stage.loss, stage.loss_u, 100 * stage.efficiency, 100 * stage.efficiency_u)
    direction = "reverse" if stage.reverse else "along" if math.isfinite(stage.efficiency) else None
    energy = cell(100 * stage.energy_efficiency)
    return (place, kind, stage.name, None, None, *map(cell, values), direction, None, None, energy, stage.remark or None)


def chain_over_time_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return the powers of the points and the efficiencies over time."""
    names = [point.connection for point in evaluation.study.chain]
    neighbours = list(pairwise(names))
    columns = (
        TableColumn("interval", "interval"),
        TableColumn("start", "from", "s"),
        TableColumn("stop", "to", "s"),
        *(TableColumn(f"P_{k}", f"P {name}", "W") for k, name in enumerate(names, start=1)),
        *(TableColumn(f"efficiency_{k}", f"η {a} to {b}", "%") for k, (a, b) in enumerate(neighbours, start=1)),
        TableColumn("efficiency", "η of the whole", "%"),
    )
    rows: list[tuple[TableCell, ...]] = []
    for at, place in enumerate(places):
        found = chain_over_time(evaluation, place, progress.part(at / len(places), (at + 1) / len(places)))
        shares = [found.efficiency(k, k + 1) for k in range(len(names) - 1)] + [found.efficiency()]
        for k, (a, b) in enumerate(zip(found.starts.tolist(), found.stops.tolist(), strict=True)):
            powers, parts = found.powers[:, k].tolist(), (100 * float(share[k]) for share in shares)
            ends = evaluation.times.instant(a), evaluation.times.instant(b)
            rows.append((place, *ends, *(cell(x) for x in powers), *(cell(x) for x in parts)))
    method = (f"pieces of {evaluation.study.every} in whole cycles of the first alternating connection, the same for all points",)
    return Table("chain_over_time", "Power chain over time", f"{len(rows)} rows", columns, tuple(rows[:_MOST]), method)


CHAIN_OVER_TIME_TABLE = TableKind(
    "chain_over_time",
    "Power chain over time",
    "powers and efficiencies per piece",
    chain_over_time_table,
    on_request=True,
    place=9,
)


# as a sheet


def _lacking(study: Study) -> str:
    return "" if len(study.chain) >= 2 else NO_CHAIN.split(", or with")[0] + "."


def chain_sheet(given: Given) -> Sheet:
    """Return the chain over the first interval as a figure, and points and stages of every interval."""
    chain = given.evaluation.study.chain
    picture = panel_picture(given.evaluation, Panel("flow", (), given.first), given.progress.quiet())
    paint = PANELS["flow"].paint
    assert paint is not None

    def draw(paper: Paper, box: Box) -> None:
        paint(paper, box, picture, None)

    blocks: list[Block] = [Figure(f"Power chain, {given.first}", 720.0, 285.0, draw)]
    for place in given.places:
        try:
            found = chain_of(given.evaluation, place)
            blocks += [SectionHeading(place), _grid(given, found)]
            if found.leaves_out and given.report.accuracy:
                blocks.append(Words(f"± {found.leaves_out}: their chains state none", Role.SOFT))
        except PantelosError as error:
            blocks.append(Words(f"not given: {error}", Role.CAUTION))
    return Sheet("chain", "Power chain", " → ".join(point.connection for point in chain), tuple(blocks))


def _grid(given: Given, found: Chain) -> CellGrid:
    accuracy = given.report.accuracy
    columns = (GridColumn("", right=False), GridColumn("", right=False), *(GridColumn(p.name, Role.INK) for p in found.points))
    rows = [
        _watts("P", [(p.P, p.expanded) for p in found.points], accuracy, bold=True),
        _watts("loss behind it", [(s.loss, s.loss_u) for s in found.stages], accuracy, more=1),
    ]
    shares = [_percent(s.efficiency, s.efficiency_u, accuracy) for s in found.stages]
    rows.append(_titled("η of the stage", "%", [*shares, Cell()]))
    if found.whole is not None:
        whole = _percent(found.whole.efficiency, found.whole.efficiency_u, accuracy)
        told = math.isfinite(found.whole.efficiency)
        way = Cell(("in reverse" if found.whole.reverse else "along the chain") if told else "", ink=Role.SOFT)
        rows.append(_titled("η of the whole", "%", [whole, way, *[Cell()] * (len(found.points) - 2)]))
    return CellGrid(columns, tuple(rows))


def _titled(title: str, symbol: str, cells: Sequence[Cell]) -> GridRow:
    return GridRow((Cell(title, bold=True), Cell(symbol, ink=Role.SOFT), *cells))


def _watts(title: str, values: Sequence[tuple[float, float]], accuracy: bool, bold: bool = False, more: int = 0) -> GridRow:
    """Return a row of powers with their accuracy, and `more` empty places behind them."""
    n = len(values)
    sizes, sure = [x for x, _ in values], [u for _, u in values]
    symbol, cells = row_cells(sizes, sure, unit("W"), [Role.INK] * n, [None] * n, accuracy, [bold] * n)
    return _titled(title, symbol, [*cells, *[Cell()] * more])


def _percent(share: float, within: float, accuracy: bool) -> Cell:
    text, sure = beside_limit(100 * share, 100 * within)
    return Cell(text, sure if accuracy else "", value=100 * share if math.isfinite(share) else None)


CHAIN_TABLE = TableKind(
    "chain",
    "Power chain",
    "power, loss, efficiency from point to point",
    chain_table,
    layout=SheetLayout(chain_sheet, help="where the power goes, and efficiencies", place=4, lacks=_lacking),
    place=3,
)
