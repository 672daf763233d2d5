"""The power chain: where the power goes, to scale, and the numbers."""

import math
from collections.abc import Sequence

from pantelos.engine.chain import NO_CHAIN, Chain, chain_of
from pantelos.errors import PantelosError, StudyError
from pantelos.handover.blocks import Block, Cell, CellGrid, Figure, GridColumn, GridRow, SectionHeading, Sheet, Words
from pantelos.handover.numbers import beside_limit, row_cells
from pantelos.handover.sheets.sheet import Given, SheetKind
from pantelos.panels import PANELS, panel_picture
from pantelos.paper.paper import Box, Paper, Role
from pantelos.study.model import Panel
from pantelos.units import unit


def chain_sheet(given: Given) -> Sheet:
    """Return the chain over the first interval as a figure, and points and stages of every interval."""
    chain = given.evaluation.study.chain
    if len(chain) < 2:
        raise StudyError(NO_CHAIN)
    picture = panel_picture(given.evaluation, Panel("flow", (), given.first), given.progress.quiet())
    paint = PANELS["flow"].paint
    assert paint is not None

    def draw(paper: Paper, box: Box) -> None:
        paint(paper, box, picture, None)

    blocks: list[Block] = [Figure(f"Power chain, {given.first}", 720.0, 330.0, draw)]
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


CHAIN_SHEET = SheetKind("chain", "Power chain", "where the power goes, and efficiencies", chain_sheet, place=4)
