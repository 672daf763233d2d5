"""What was recorded: title block, channels with their scaling and accuracy, wiring, intervals, checks that are open."""

import numpy as np

from pantelos.notation import counted
from pantelos.notice import Notice, Severity
from pantelos.paper.paper import Align, Box, Paper, Role
from pantelos.power.wirings import wiring
from pantelos.power.wirings.scheme import HEIGHT
from pantelos.sheets.blocks import Block, Cell, CellGrid, FactList, Figure, GridColumn, GridRow, SectionHeading, Sheet, Words
from pantelos.study.model import ChannelSetup, Connection
from pantelos.tables.kind import Given, Layout, TableKind
from pantelos.units import unit

_SCALE = 0.55  # of the plane that schemes are drawn in
_BESIDE = 355.0  # pixels from one to the next


def title_sheet(given: Given) -> Sheet:
    """Return title block, record, channels, wiring and open checks."""
    study, record = given.evaluation.study, given.evaluation.record
    rate = f"{record.n_samples} samples at {record.rate_hz:.10g} Hz, {record.stop_s - record.start_s:.6g} s"
    pairs = [*given.report.facts.items(), ("record", rate)]
    pairs += [("recorded", record.began.text(0))] if record.began is not None else []
    pairs += [("source", path.name) for path, _ in record.sources]
    blocks: list[Block] = [FactList(tuple(pairs)), SectionHeading("Channels"), _channels(given)]
    wired = [connection for connection in study.connections if connection.sockets]
    blocks += [SectionHeading("Wiring"), *_schemes(wired)] if wired else []
    if given.places and study.intervals:
        blocks += [SectionHeading("Intervals"), _intervals(given)]
    return Sheet("title", study.title, f"{counted(len(study.channels), 'channel')}", (*blocks, *_checks(given)))


def _channels(given: Given) -> CellGrid:
    study = given.evaluation.study
    heads = (("channel", 0.14), ("scaling and accuracy", 0.66), ("recorded as", 0.2))
    columns = tuple(GridColumn(title, right=False, share=share) for title, share in heads)
    rows = tuple(
        GridRow((Cell(setup.name, bold=True), Cell(setup.scaling.text(unit(setup.recorder_unit))), _recorded(setup)))
        for setup in study.channels
    )
    formulas = tuple(
        GridRow((Cell(f.name, bold=True), Cell(f.expression), Cell("formula", ink=Role.SOFT))) for f in study.formulas
    )
    return CellGrid(columns, (*rows, *formulas))


def _recorded(setup: ChannelSetup) -> Cell:
    return Cell(f"{setup.column} [{setup.recorder_unit}]", ink=Role.SOFT)


def _intervals(given: Given) -> CellGrid:
    evaluation = given.evaluation
    rows = []
    for name in given.places:
        place = evaluation.times.interval(name)
        n = evaluation.places.n_cycles(name)
        cells = (
            name,
            f"{place.start_s:.6g} s",
            f"{place.stop_s:.6g} s",
            f"{place.length_s:.6g} s",
            f"{n:.4f}" if np.isfinite(n) else "",
        )
        rows.append(GridRow(tuple(Cell(text, bold=k == 0) for k, text in enumerate(cells))))
    columns = (GridColumn("interval", right=False), *(GridColumn(title) for title in ("from", "to", "length", "cycles")))
    return CellGrid(columns, tuple(rows))


def _schemes(connections: list[Connection]) -> list[Block]:
    """Return the drawings of connections, two beside each other."""
    found: list[Block] = []
    for first in range(0, len(connections), 2):
        some = connections[first : first + 2]
        title = " · ".join(f"{one.name}: {wiring(one.wiring).title}" for one in some)

        def draw(paper: Paper, box: Box, some: list[Connection] = some) -> None:
            for k, one in enumerate(some):
                paper.words(Box(box.left + k * _BESIDE, box.top, 300, 14), one.name, Role.INK, 8, bold=True)
                _draw_scheme(paper, Box(box.left + k * _BESIDE, box.top + 12, _BESIDE, box.height - 12), one)

        found.append(Figure(title, 2 * _BESIDE, HEIGHT * _SCALE + 12, draw))
    return found


def _draw_scheme(paper: Paper, box: Box, connection: Connection) -> None:
    """Draw a connection, with the channel of each socket."""
    kind = wiring(connection.wiring).with_sockets(connection.sockets)
    scheme = kind.scheme

    def place(x: float, y: float) -> tuple[float, float]:
        return box.left + x * _SCALE, box.top + y * _SCALE

    for x, upper, lower in scheme.bridges:
        (left, top), (_, bottom) = place(x, upper), place(x, lower)
        paper.line(np.array([left, left]), np.array([top, bottom]), Role.SOFT, 1.0)
    for line in scheme.conductors:
        (left, y), (right, _) = place(90, line.y), place(520, line.y)
        paper.line(np.array([left, right]), np.array([y, y]), line.carries, 1.8)
        paper.words(Box(left + 2, y - 14, 40, 13), line.name, line.carries, 7, bold=True)
    middle = box.top + _SCALE * sum(line.y for line in scheme.conductors) / len(scheme.conductors)
    for text, x in ((scheme.supply, 10.0), (scheme.load, 530.0)):
        left, _ = place(x, 0)
        paper.words(Box(left, middle - 12, 56, 60), text, Role.SOFT, 7, wrap=True)
    for socket in scheme.sockets:
        x, y = place(socket.x, socket.y)
        of = next((one for one in kind.sockets if one.name == socket.socket), None)
        if of is None:
            continue
        text = connection.sockets.get(socket.socket, "")
        wide, high = max(paper.extent(text or "empty", 7.5, bold=True)[0] + 8, 28), 15.0
        paper.bar(Box(x - wide / 2, y - high / 2, wide, high), Role.GROUND)
        edge = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1], [-1, -1]]) * 0.5
        paper.line(x + edge[:, 0] * wide, y + edge[:, 1] * high, of.conductor or Role.SOFT, 1.0)
        ink = Role.INK if text else Role.SOFT
        paper.words(Box(x - wide / 2, y - high / 2, wide, high), text or "empty", ink, 7.5, bool(text), Align.CENTRE)


def _checks(given: Given) -> list[Block]:
    """Return what the checks ask attention for."""
    open_ones = [notice for notice in given.notices if notice.severity.asks]
    notes = [_said(notice, "–", Role.SOFT) for notice in given.notices if notice.severity is Severity.NOTE]
    if not open_ones:
        return [SectionHeading("Checks"), Words("No check asks for attention."), *notes]
    words = [*(_said(notice, "⚑", Role.CAUTION) for notice in open_ones), *notes]
    return [SectionHeading(f"Checks that are open: {len(open_ones)}"), *words]


def _said(notice: Notice, mark: str, ink: Role) -> Words:
    return Words(f"{mark} {notice.text}" + (f" — {notice.detail}" if notice.detail else ""), ink)


TITLE_SHEET = TableKind(
    "title", "Title, wiring, checks", "what was recorded, with what accuracy", layout=Layout(title_sheet, place=1)
)
