"""Apparent power resolved after IEEE 1459, and what three phases come to by their fundamentals."""

import math
from collections.abc import Iterator, Sequence

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError, StudyError
from pantelos.notation import counted, number
from pantelos.power.fundamentals import SystemPower
from pantelos.power.measurement import ConnectionPower
from pantelos.power.quantity_rows import parts_of
from pantelos.power.resolved_rows import RESOLVED_QUANTITIES
from pantelos.power.wirings import wiring
from pantelos.progress import Progress
from pantelos.sheets.table import Table, TableCell, TableColumn, cell
from pantelos.signal.cycles.coherent import USUAL_WINDOWS
from pantelos.study.model import Connection
from pantelos.tables.kind import TableKind
from pantelos.tables.kinds.power import explained_power
from pantelos.tables.subjects import windows_used


def _measured(
    evaluation: Evaluation, places: Sequence[str], progress: Progress, three_phase: bool = False
) -> tuple[list[tuple[str, Connection, ConnectionPower]], list[str]]:
    """Return the powers of the alternating connections in every interval, and what is not given."""
    wired = [c for c in evaluation.study.connections if wiring(c.wiring).alternating]
    wired = [c for c in wired if wiring(c.wiring).three_phase or not three_phase]
    if not wired:
        kind = "three-phase" if three_phase else "alternating"
        raise StudyError(f"There is no {kind} connection. Choose one on the Wiring page or with --connection.")
    found, not_given = [], []
    for at, place in enumerate(places):
        for connection in wired:
            try:
                power = evaluation.power(connection, place, progress.part(at / len(places), (at + 1) / len(places)))
            except PantelosError as error:
                not_given.append(f"{connection.name} in {place}: not given: {error}")
                continue
            if power.window.n_cycles:
                found.append((place, connection, power))
            else:
                not_given.append(f"{connection.name} in {place}: not given: {power.why_all or 'it holds no whole cycle'}")
    if not found:
        raise StudyError("; ".join(not_given) + ".")
    return found, not_given


def resolution_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return the resolution of apparent power of every alternating connection, per element and total."""
    found, not_given = _measured(evaluation, places, progress)
    columns = (
        TableColumn("interval", "interval"),
        TableColumn("connection", "connection"),
        TableColumn("element", "element"),
        *(TableColumn(q.id, q.title, q.symbol, q.help) for q in RESOLVED_QUANTITIES),
    )
    rows: list[tuple[TableCell, ...]] = []
    for place, connection, power in found:
        elements = [element.name for element in wiring(connection.wiring).elements]
        for name, (reading, energy) in parts_of(power, elements).items():
            if name == "total" and not power.several:
                continue
            values = (q.value(reading, energy) / q.unit.factor for q in RESOLVED_QUANTITIES)
            rows.append((place, connection.name, name, *(cell(value) for value in values)))
    method = (
        "IEEE 1459: S² = S1² + S_N², S_N² = D_I² + D_V² + S_H², S_H² = P_H² + D_H²; rms over whole cycles, U1 and I1 by phasors",
        "U_H and I_H are all but the fundamental: DC, harmonics of every order, and what lies between them",
        "total: effective voltage and current of three phases (ρ = ξ = 1)",
        *windows_used(evaluation, places),
        *not_given,
    )
    subtitle = f"{counted(len({c.name for _, c, _ in found}), 'connection')}, {counted(len(places), 'interval')}"
    return Table("resolution", "Power resolved", subtitle, columns, tuple(rows), method)


_SYSTEM_COLUMNS = (
    TableColumn("U_plus", "U1", "V", "positive sequence of the fundamental voltages"),
    TableColumn("U_minus", "U2", "V", "negative sequence"),
    TableColumn("U_zero", "U0", "V", "zero sequence; not given without a neutral"),
    TableColumn("u2", "u2", "%", "negative over positive sequence"),
    TableColumn("u0", "u0", "%", "zero over positive sequence"),
    TableColumn("u2_lines", "u2 of lines", "%", "the same from the three line voltages alone"),
    TableColumn("I_plus", "I1", "A", "positive sequence of the fundamental currents"),
    TableColumn("I_minus", "I2", "A", "negative sequence"),
    TableColumn("I_zero", "I0", "A", "zero sequence"),
    TableColumn("i2", "i2", "%", "negative over positive sequence"),
    TableColumn("i0", "i0", "%", "zero over positive sequence"),
    TableColumn("P1_plus", "P1+", "W", "of the positive sequences"),
    TableColumn("Q1_plus", "Q1+", "var", "of the positive sequences"),
    TableColumn("S1_plus", "S1+", "VA", "of the positive sequences"),
    TableColumn("PF1_plus", "PF1+", "", "P1+ over S1+"),
    TableColumn("S_U1", "S_U1", "VA", "unbalance power"),
    TableColumn("U12", "U12", "V", "fundamental line voltage"),
    TableColumn("U23", "U23", "V", "fundamental line voltage"),
    TableColumn("U31", "U31", "V", "fundamental line voltage"),
    TableColumn("deviation", "largest deviation", "%", "of a line voltage from their mean"),
    TableColumn("order", "phase order", "", "123 as it should be"),
    TableColumn("closes", "closes", "", "what is left of sums that should be nothing"),
)


def sequences_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return symmetrical components and the powers of the positive sequence of every three-phase connection."""
    found, not_given = _measured(evaluation, places, progress, three_phase=True)
    columns = (TableColumn("interval", "interval"), TableColumn("connection", "connection"), *_SYSTEM_COLUMNS)
    rows = [(place, connection.name, *_system_cells(power.system, power)) for place, connection, power in found if power.system]
    method = (
        f"fundamental phasors over whole cycles, {USUAL_WINDOWS}; IEC 61000-4-30 clause 5.7, IEEE 1459 clause 3.2",
        "without a neutral the zero sequence of the voltages is lost in them",
        *windows_used(evaluation, places),
        *not_given,
    )
    subtitle = f"{counted(len({c.name for _, c, _ in found}), 'connection')}, {counted(len(places), 'interval')}"
    return Table("sequences", "Symmetrical components", subtitle, columns, tuple(rows), method)


def _system_cells(system: SystemPower, power: ConnectionPower) -> Iterator[TableCell]:
    """Yield the cells of a row, in the order of the columns."""
    given = system.voltages[0] > 0 and not power.total.low
    shares = (system.u2, system.u0, system.u2_of_lines)
    yield from (cell(value) for value in system.voltages)
    yield from (cell(100 * value) if given else None for value in shares)
    yield from (cell(value) for value in system.currents)
    yield from (cell(100 * value) if not power.total.low else None for value in (system.i2, system.i0))
    yield from (cell(x) for x in (system.P1_plus, system.Q1_plus, system.S1_plus, system.PF1_plus, system.S_U1, *system.lines))
    yield cell(100 * system.deviation_u)
    yield _order(system)
    yield "; ".join(f"{c.title}: {number(c.rms, 3)}, {number(100 * c.share, 2)} %" for c in power.closings) or None


def _order(system: SystemPower) -> str | None:
    positive, negative, _ = system.voltages
    if not math.isfinite(positive) or not max(positive, negative) > 0:
        return None
    return "123" if positive > 2 * negative else "132" if negative > 2 * positive else "undetermined"


RESOLUTION_TABLE = TableKind(
    "resolution", "Power resolved", "S1, S_N, D_I, D_V, S_H, D_H, P_H after IEEE 1459", resolution_table, explained_power, place=3
)
SEQUENCES_TABLE = TableKind(
    "sequences", "Symmetrical components", "positive, negative, zero sequence, unbalance, S_U1", sequences_table, place=4
)
