"""What was recorded: title block, channels with their scaling and accuracy, wiring, intervals, checks that are open."""

from collections.abc import Mapping

import numpy as np

from pantelos.engine.quality import JudgedSet, judged_sets
from pantelos.engine.testing_day import overdue
from pantelos.errors import PantelosError
from pantelos.notation import counted, minus
from pantelos.notice import Notice, Severity
from pantelos.paper.paper import Align, Box, Paper, Role
from pantelos.power.wirings import wiring
from pantelos.quality.rules import RULES
from pantelos.quality.verdicts import Judged, Verdict
from pantelos.sheets.blocks import (
    Block,
    Cell,
    CellGrid,
    FactList,
    Figure,
    GridColumn,
    GridRow,
    Picture,
    SectionHeading,
    Sheet,
    Words,
)
from pantelos.study.model import ChannelSetup, Connection, sides_of
from pantelos.study.operations.logos import logo_of
from pantelos.study.operations.seals import closed_as
from pantelos.study.report import FACTS
from pantelos.tables.kind import Given, SheetLayout, TableKind
from pantelos.tables.kinds.quality import verdict_grid
from pantelos.units import unit

_JUDGED = (Verdict.OUTSIDE, Verdict.UNDECIDED, Verdict.INSIDE)
_MOST = 8  # verdicts of those that are inside
_PAGE, _SIGNED = 720.0, 64.0  # pixels, of the lines that are signed
_SCALE = 0.5  # of the plane that schemes are drawn in
_LOGO = 220.0, 64.0  # pixels, at most
_ABOVE, _BELOW = 32.0, 18.0  # beside the outer conductors of a scheme, in its plane: their names, sockets
_BESIDE = 355.0  # pixels from one to the next


def title_sheet(given: Given) -> Sheet:
    """Return the title page: whose machine was tested with what, what came out; then channels, wiring, intervals, checks."""
    study, record = given.evaluation.study, given.evaluation.record
    rate = f"{record.n_samples} samples at {record.rate_hz:.10g} Hz, {record.stop_s - record.start_s:.6g} s"
    said = given.report.facts
    pairs = [(name, said[name]) for name in (*FACTS, *(name for name in said if name not in FACTS)) if name in said]
    pairs += _version(given)
    pairs += [("record", rate)]
    pairs += [("recorded", record.began.text(0))] if record.began is not None else []
    pairs += [("source", f"{path.name}, BLAKE2b-256 {mark[:16]}…") for path, mark in record.sources]
    blocks: list[Block] = [*_logo(given), FactList(tuple(pairs)), *_verdicts(given), *_equipment(given)]
    if any(said.get(name) for name in FACTS):
        blocks.append(Figure("", _PAGE, _SIGNED, lambda paper, box: _draw_signatures(paper, box, said.get("tester", ""))))
    blocks += [SectionHeading("Channels"), _channels(given)]
    wired = [connection for connection in study.connections if connection.sockets]
    blocks += [SectionHeading("Wiring"), *_schemes(wired)] if wired else []
    if given.places and study.intervals:
        blocks += [SectionHeading("Intervals"), _intervals(given)]
    return Sheet("title", study.title, f"{counted(len(study.channels), 'channel')}", (*blocks, *_checks(given)))


def _version(given: Given) -> list[tuple[str, str]]:
    """Return which version of the report this is, where one was closed."""
    study = given.evaluation.study
    said = closed_as(study)
    if not said and study.sealed:
        said = f"draft, after version {study.sealed[-1].version} of {study.sealed[-1].issued}"
    return [("version", said)] if said else []


def _logo(given: Given) -> list[Block]:
    data = given.report.logo
    if not data:
        return []
    logo = logo_of(data)
    scale = min(_LOGO[0] / logo.width, _LOGO[1] / logo.height)
    return [Picture("logo", logo.kind, data, logo.width * scale, logo.height * scale)]


def _verdicts(given: Given) -> list[Block]:
    """Return the verdicts on all limits, worst first, the rule they follow, and what was not judged; nothing without limits."""
    study = given.evaluation.study
    if not study.quality.sets:
        return []
    try:
        found = [(of, one) for of in judged_sets(given.evaluation, None, given.progress) for one in of.judged]
    except PantelosError as error:
        return [SectionHeading("Verdicts"), Words(f"not given: {error}", Role.CAUTION)]
    counts = {verdict: sum(one.verdict is verdict for _, one in found) for verdict in Verdict}
    said = ", ".join(f"{n} {verdict}" for verdict, n in counts.items() if n)
    judged = sorted((pair for pair in found if pair[1].verdict in _JUDGED), key=_worst_first)
    blocks: list[Block] = [SectionHeading("Verdicts"), Words(f"{counted(len(found), 'requirement')}: {said}")]
    if judged:
        shown = judged[: max(_MOST, sum(one.verdict is not Verdict.INSIDE for _, one in judged))]
        n_left = len(judged) - len(shown)
        rest = f"; {n_left} more on the sheet of quality, all inside" if n_left else ""
        blocks += [verdict_grid(shown, "verdict"), Words(f"worst first{rest}", Role.SOFT)]
        rule = RULES[study.quality.rule]
        blocks += [SectionHeading("Decision rule"), Words(f"{rule.title}: {rule.sentence}")]
    whys: dict[str, list[str]] = {}
    for _, one in found:
        if one.verdict in (Verdict.INSUFFICIENT, Verdict.NOT_JUDGED):
            whys.setdefault(one.why[0] if one.why else str(one.verdict), []).append(one.limit.title)
    if whys:
        pairs = tuple((names[0] if len(names) == 1 else counted(len(names), "requirement"), why) for why, names in whys.items())
        blocks += [SectionHeading("Not judged, and why"), FactList(pairs)]
    return blocks


def _worst_first(pair: tuple[JudgedSet, Judged]) -> tuple[int, float]:
    one = pair[1]
    return _JUDGED.index(one.verdict), one.margin if np.isfinite(one.margin) else np.inf


def _equipment(given: Given) -> list[Block]:
    """Return what was measured with; calibrations that had ended on the day of the test stand out."""
    if not given.report.equipment:
        return []
    titles = ("what", "serial number", "calibrated", "due")
    columns = tuple(GridColumn(title, right=False) for title in titles)
    rows = []
    for one in given.report.equipment:
        late = overdue(given.evaluation, one)
        due = Cell(f"{one.due}, overdue" if late else one.due, ink=Role.CAUTION if late else Role.INK, bold=late)
        rows.append(GridRow((Cell(one.what, bold=True), Cell(one.serial), Cell(one.calibrated), due)))
    return [SectionHeading("Equipment"), CellGrid(columns, tuple(rows))]


def _draw_signatures(paper: Paper, box: Box, tester: str) -> None:
    """Draw a line for who tested and one for who releases the report."""
    wide, y = 0.46 * box.width, box.top + _SIGNED - 18
    for left, said, name in (
        (box.left, "tested: place, date, name", tester),
        (box.right - wide, "released: place, date, name", ""),
    ):
        paper.line(np.array([left, left + wide]), np.array([y, y]), Role.INK, 0.8)
        paper.words(Box(left, y + 2, wide, 12), said, Role.SOFT, 7)
        paper.words(Box(left, y + 2, wide, 12), name, Role.SOFT, 7, align=Align.RIGHT)


def _channels(given: Given) -> CellGrid:
    study = given.evaluation.study
    heads = (("channel", 0.14), ("scaling and accuracy", 0.66), ("recorded as", 0.2))
    columns = tuple(GridColumn(title, right=False, share=share) for title, share in heads)
    sides = sides_of(study)
    rows = tuple(
        GridRow((Cell(setup.name, bold=True), Cell(setup.scaling.text(unit(setup.recorder_unit))), _recorded(setup, sides)))
        for setup in study.channels
    )
    formulas = tuple(
        GridRow((Cell(f.name, bold=True), Cell(f.expression), Cell("formula", ink=Role.SOFT))) for f in study.formulas
    )
    return CellGrid(columns, (*rows, *formulas))


def _recorded(setup: ChannelSetup, sides: Mapping[str, str]) -> Cell:
    side = f", {sides[setup.column]} values" if setup.column in sides else ""
    return Cell(f"{setup.column} [{setup.recorder_unit}]{side}", ink=Role.SOFT)


def _intervals(given: Given) -> CellGrid:
    evaluation = given.evaluation
    rows = []
    for name in given.places:
        place = evaluation.times.interval(name)
        n = evaluation.places.n_cycles(name)
        cells = (
            name,
            minus(f"{place.start_s:.6g} s"),
            minus(f"{place.stop_s:.6g} s"),
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
        schemes = [wiring(one.wiring).scheme for one in some]
        top = min(line.y for scheme in schemes for line in scheme.conductors) - _ABOVE
        high = max(line.y for scheme in schemes for line in scheme.conductors) + _BELOW - top
        title = " · ".join(f"{one.name}: {wiring(one.wiring).title}" for one in some)

        def draw(paper: Paper, box: Box, some: list[Connection] = some, top: float = top) -> None:
            for k, one in enumerate(some):
                paper.words(Box(box.left + k * _BESIDE, box.top, 300, 14), one.name, Role.INK, 8, bold=True)
                _draw_scheme(paper, Box(box.left + k * _BESIDE, box.top + 12 - top * _SCALE, _BESIDE, box.height), one)

        found.append(Figure(title, 2 * _BESIDE, high * _SCALE + 12, draw))
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
    "title", "Title, wiring, checks", "what was recorded, with what accuracy", layout=SheetLayout(title_sheet, place=1)
)
