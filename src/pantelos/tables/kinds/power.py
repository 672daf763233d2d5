"""Power and energy per element and in total."""

import math
from collections.abc import Iterable, Sequence

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.uncertainty import power_accuracy
from pantelos.errors import PantelosError, StudyError
from pantelos.notation import PARTLY, counted, with_unit
from pantelos.notice import Notice
from pantelos.panels import PANELS, panel_picture
from pantelos.paper.paper import Align, Box, Ink, Paper, Role
from pantelos.power.measurement import ConnectionPower, Energy
from pantelos.power.quantity_rows import POWER_QUANTITIES, parts_of
from pantelos.power.resolved_rows import RESOLVED_QUANTITIES
from pantelos.power.wirings import Wiring, wiring
from pantelos.progress import Progress
from pantelos.sheets.blocks import About, Block, Cell, CellGrid, Figure, GridColumn, GridRow, SectionHeading, Sheet, Words
from pantelos.sheets.numbers import row_cells
from pantelos.sheets.table import Table, TableCell, TableColumn, cell
from pantelos.study.model import Connection, Study
from pantelos.study.shown import Panel
from pantelos.tables.explaining import Explanation, explain_power
from pantelos.tables.kind import Given, Heads, SheetLayout, TableKind
from pantelos.tables.subjects import windows_used
from pantelos.units import unit


def power_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return power and energy of every connection in every interval, per element and total."""
    study = evaluation.study
    if not study.connections:
        raise StudyError("There is no connection yet, so no power. Choose one on the Wiring page or with --connection.")
    columns = (
        TableColumn("interval", "interval"),
        TableColumn("connection", "connection"),
        TableColumn("element", "element"),
        *(TableColumn(q.id, q.title, q.symbol, q.help) for q in POWER_QUANTITIES),
        TableColumn("f", "f", "Hz", "frequency of the reference channel"),
        TableColumn("S_A", "S arithmetic", "VA", "sum of U·I of the elements"),
        TableColumn("S_V", "S vector", "VA", "root of P1² + Q1² of the total"),
        TableColumn("E_unmeasured_s", "E unmeasured", "s", "time in which samples are missing and no energy is counted"),
        TableColumn("reference", "cycles of", "", "whose whole cycles the powers are taken over"),
        TableColumn("remarks", "remarks", "", "what is not given and why, and what a review should know"),
    )
    rows: list[tuple[TableCell, ...]] = []
    gaps: dict[tuple[str, str], list[str]] = {}
    n_parts = len(places) * len(study.connections)
    for place in places:
        for connection in study.connections:
            at = len(rows)
            measured = evaluation.power(connection, place, progress.part(min(at / 4 / n_parts, 1.0), 1.0))
            for remark in measured.remarks:
                gaps.setdefault((connection.name, remark), []).append(place)
            rows += _rows(place, connection.name, connection.wiring, measured)
    method = (
        "U, I, P, S: means over whole cycles of the reference, of products of samples; IEEE 1459",
        "Q1, DPF, φ1: fundamental phasors over the same cycles; Q1 is signed, inductive positive",
        "N: root of S² − P²; Q tot: N with the sign of Q1",
        "total: P and Q1 summed; U, I, S effective after IEEE 1459 (ρ = ξ = 1); PF = P/S of that S",
        "energy: trapezoidal over the whole interval; sorted by the sign of P of each cycle (alternating) or of p (DC)",
        *windows_used(evaluation, places),
        *(f"{name} in {'; '.join(of)}: {remark}" for (name, remark), of in gaps.items()),
    )
    return Table(
        "power",
        "Power and energy",
        f"{counted(len(study.connections), 'connection')}, {counted(len(places), 'interval')}",
        columns,
        tuple(rows),
        method,
    )


def _rows(place: str, name: str, wired: str, measured: ConnectionPower) -> list[tuple[TableCell, ...]]:
    kind = wiring(wired)
    f = cell(measured.window.frequency_hz)
    rows: list[tuple[TableCell, ...]] = [
        (
            place,
            name,
            element.name,
            *(cell(quantity.value(power, energy)) if kind.tells(quantity.id) else None for quantity in POWER_QUANTITIES),
            f,
            None,
            None,
            *_said(measured, energy),
        )
        for element, power, energy in zip(kind.elements, measured.elements, measured.element_energies, strict=True)
    ]
    if measured.several:
        total = (cell(quantity.value(measured.total, measured.total_energy)) for quantity in POWER_QUANTITIES)
        said = _said(measured, measured.total_energy)
        rows.append((place, name, "total", *total, f, cell(measured.S_A), cell(measured.S_V), *said))
    return rows


def _said(measured: ConnectionPower, energy: Energy) -> tuple[TableCell, ...]:
    """Return what stands behind the numbers of a row."""
    cycles = measured.reference if measured.window.n_cycles else None
    return cell(energy.unmeasured_s), cycles, "; ".join(measured.remarks) or None


def explained_power(evaluation: Evaluation, heads: Heads, key: str, notices: Iterable[Notice]) -> Explanation | None:
    """Return what stands behind a number of a power table."""
    connection = evaluation.study.connection(heads["connection"])
    return explain_power(evaluation, connection, heads["element"], key, heads["interval"], notices)


# as a sheet


_GROUPS = (
    ("Voltage and current", ("U", "I")),
    ("Power", ("P", "Q1", "Q_tot", "N", "S")),
    ("Factors", ("PF", "DPF", "phi1")),
    ("Distortion", ("distortion_u", "distortion_i", "D_I", "S_N")),
    ("Energy", ("E_received", "E_returned")),
)
_PHASOR = 160.0  # pixels


def _lacking(study: Study) -> str:
    return "" if study.connections else "There is no connection yet, so no power. Wire one on the Wiring page."


def power_sheet(given: Given) -> Sheet:
    """Return power and energy of every connection: the active interval in full, totals of the others beside it."""
    study = given.evaluation.study
    blocks: list[Block] = []
    for connection in study.connections:
        try:
            blocks += _of_connection(given, connection, headed=len(study.connections) > 1)
        except PantelosError as error:
            blocks += [SectionHeading(connection.name), Words(f"not given: {error}", Role.CAUTION)]
    if not any(isinstance(block, CellGrid) for block in blocks):
        raise StudyError(next(block.text for block in blocks if isinstance(block, Words)).removeprefix("not given: "))
    named = ", ".join(c.name for c in study.connections)
    said = "; ± expanded uncertainty, k = 2" if given.report.accuracy else ""
    subtitle = f"{named} · {counted(len(given.places), 'interval')} · whole cycles of the reference{said}"
    return Sheet("power", "Power", subtitle, tuple(blocks))


def _of_connection(given: Given, connection: Connection, headed: bool) -> list[Block]:
    evaluation = given.evaluation
    kind = evaluation.wiring_of(connection)
    places = [given.first, *(place for place in given.places if place != given.first)]
    powers = {place: evaluation.power(connection, place) for place in places}
    names = [element.name for element in kind.elements]
    shown = _shown(kind, names, powers[given.first], places)
    stated = {place: power_accuracy(evaluation, connection, place) for place in places}
    columns = [GridColumn("", right=False), GridColumn("", right=False)]
    columns += [GridColumn(title, ink, place) for place, _, title, ink in shown]
    rows: list[GridRow] = []
    for group, ids in _GROUPS:
        made = [_row(connection, id_, shown, powers, names, stated, given.report.accuracy) for id_ in ids if kind.tells(id_)]
        kept = [row for row in made if row is not None]
        if kept:
            rows += [GridRow(group=group), *kept]
    title = [SectionHeading(f"{connection.name}, {kind.title.lower()}")] if headed else []
    left_out = next((one.leaves_out for one in stated[given.first].values() if one.leaves_out), "")
    said = [Words(f"{PARTLY} ± {left_out}: their chains state none", Role.SOFT)] if left_out and given.report.accuracy else []
    return [*title, *said, CellGrid(tuple(columns), tuple(rows)), *_figures(given, connection, kind, powers[given.first])]


def _shown(kind: Wiring, names: Sequence[str], of: ConnectionPower, places: Sequence[str]) -> list[tuple[str, str, str, Ink]]:
    """Return columns: interval, part of the connection, what it is headed with, its ink."""
    first = [(places[0], element.name, element.title, element.conductor or Role.INK) for element in kind.elements]
    if of.several:
        first.append((places[0], "total", "total", Role.INK))
    part = "total" if of.several else names[0]
    return [*first, *((place, part, "total" if of.several else "", Role.INK) for place in places[1:])]


def _row(
    connection: Connection,
    id_: str,
    shown: Sequence[tuple[str, str, str, Ink]],
    powers: dict[str, ConnectionPower],
    names: Sequence[str],
    stated: dict[str, dict],  # type: ignore[type-arg]
    accuracy: bool,
) -> GridRow | None:
    resolved = id_ in RESOLVED_QUANTITIES.names
    quantity = (RESOLVED_QUANTITIES if resolved else POWER_QUANTITIES)[id_]
    values, expanded, abouts, partly = [], [], [], []
    for place, part, _, _ in shown:
        value = float(quantity.value(*parts_of(powers[place], list(names))[part]))
        own = stated[place].get((part, id_))
        values.append(value * quantity.unit.factor if quantity.symbol == "°" else value)
        expanded.append(own.expanded if own is not None else math.nan)
        partly.append(own is not None and bool(own.leaves_out))
        heads = (("interval", place), ("connection", connection.name), ("element", part))
        abouts.append(About("resolution" if resolved else "power", heads, id_))
    if not any(math.isfinite(x) for x in values):
        return None
    inks: list[Ink] = [ink if part != "total" else Role.INK for _, part, _, ink in shown]
    bold = [part == "total" and place == shown[0][0] for place, part, _, _ in shown]
    symbol, cells = row_cells(values, expanded, quantity.unit, inks, abouts, accuracy, bold, partly)
    shown_cells = [cell if math.isfinite(x) else Cell() for cell, x in zip(cells, values, strict=True)]
    return GridRow((Cell(quantity.title, bold=True), Cell(symbol, ink=Role.SOFT), *shown_cells))


def _figures(given: Given, connection: Connection, kind: Wiring, power: ConnectionPower) -> list[Block]:
    """Return what stands beside the numbers: the powers of the phases, and the phasors."""
    if not kind.alternating or not kind.electrical:
        return []
    found: list[Block] = []
    bars = [(e.name, e.conductor, p.P) for e, p in zip(kind.elements, power.elements, strict=True) if kind.has_currents]
    panel = Panel("phasors", (connection.name,), given.first)
    try:
        picture = panel_picture(given.evaluation, panel, given.progress.quiet())
    except PantelosError:
        picture = None

    def draw(paper: Paper, box: Box) -> None:
        if len(bars) > 1:
            _draw_bars(paper, Box(box.left, box.top, 0.48 * box.width, box.height), bars, given.first)
        paint = PANELS["phasors"].paint
        if picture is not None and paint is not None:
            left = box.left + (0.5 * box.width if len(bars) > 1 else 0.0)
            paint(paper, Box(left, box.top, 0.5 * box.width, box.height), picture, None)

    if len(bars) > 1 or picture is not None:
        found.append(Figure(f"{connection.name}, {given.first}", 720.0, _PHASOR, draw))
    return found


def _draw_bars(paper: Paper, box: Box, bars: Sequence[tuple[str, str, float]], place: str) -> None:
    """Draw the active power of each phase to scale, what flows back to the other side of zero."""
    paper.words(Box(box.left, box.top, box.width, 18), f"P of the phases, {place}", Role.SOFT, 8)
    known = [p for _, _, p in bars if math.isfinite(p)]
    low, high = min([0.0, *known]), max([0.0, *known])
    room = box.width - 170 - (90 if low < 0 else 0)  # numbers stand beside the ends
    zero = box.left + 80 + (90 + room * low / (low - high) if low < 0 else 0.0)
    for k, (title, ink, p) in enumerate(bars):
        top = box.top + 28 + 30 * k
        paper.words(Box(box.left, top, 76, 20), title, ink, 8, bold=True)
        if high > low and math.isfinite(p):
            wide = max(room * abs(p) / (high - low), 1.0)
            paper.bar(Box(zero - (wide if p < 0 else 0.0), top, wide, 20), ink)
            said, align = with_unit(p, unit("W"), 4), Align.RIGHT if p < 0 else Align.LEFT
            paper.words(Box(zero - wide - 96 if p < 0 else zero + wide + 6, top, 90, 20), said, Role.INK, 8, align=align)
    rest = box.top + 28 + 30 * len(bars)
    paper.rule(zero, box.top + 24, zero, rest, Role.SOFT)


POWER_TABLE = TableKind(
    "power",
    "Power and energy",
    "per phase and total",
    power_table,
    explained_power,
    SheetLayout(power_sheet, "Power", "per phase and total, intervals side by side", place=3, lacks=_lacking),
    place=2,
)
