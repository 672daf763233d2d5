"""Power and energy per element and in total."""

from collections.abc import Iterable, Sequence

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.notation import counted
from pantelos.notice import Notice
from pantelos.power.measurement import ConnectionPower, Energy
from pantelos.power.quantity_rows import POWER_QUANTITIES
from pantelos.power.wirings import wiring
from pantelos.progress import Progress
from pantelos.report.explaining import Explanation, explain_power
from pantelos.report.sheets.sheet import Heads, TableKind
from pantelos.report.subjects import windows_used
from pantelos.report.table import Cell, Table, TableColumn, cell


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
    rows: list[tuple[Cell, ...]] = []
    gaps: list[str] = []
    n_parts = len(places) * len(study.connections)
    for place in places:
        for connection in study.connections:
            at = len(rows)
            measured = evaluation.power(connection, place, progress.part(min(at / 4 / n_parts, 1.0), 1.0))
            gaps += [f"{connection.name} in {place}: {remark}" for remark in measured.remarks]
            rows += _rows(place, connection.name, connection.wiring, measured)
    method = (
        "U, I, P, S: means over whole cycles of the reference, of products of samples; IEEE 1459",
        "Q1, DPF, φ1: fundamental phasors over the same cycles; Q1 is signed, inductive positive",
        "N: root of S² − P²; Q tot: N with the sign of Q1",
        "total: P and Q1 summed; U, I, S effective after IEEE 1459 (ρ = ξ = 1); PF = P/S of that S",
        "energy: trapezoidal over the whole interval; sorted by the sign of P of each cycle (alternating) or of p (DC)",
        *windows_used(evaluation, places),
        *gaps,
    )
    return Table(
        "power",
        "Power and energy",
        f"{counted(len(study.connections), 'connection')}, {counted(len(places), 'interval')}",
        columns,
        tuple(rows),
        method,
    )


def _rows(place: str, name: str, wired: str, measured: ConnectionPower) -> list[tuple[Cell, ...]]:
    kind = wiring(wired)
    f = cell(measured.window.frequency_hz)
    rows: list[tuple[Cell, ...]] = [
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


def _said(measured: ConnectionPower, energy: Energy) -> tuple[Cell, ...]:
    """Return what stands behind the numbers of a row."""
    cycles = measured.reference if measured.window.n_cycles else None
    return cell(energy.unmeasured_s), cycles, "; ".join(measured.remarks) or None


def explained_power(evaluation: Evaluation, heads: Heads, key: str, notices: Iterable[Notice]) -> Explanation | None:
    """Return what stands behind a number of a power table."""
    connection = evaluation.study.connection(heads["connection"])
    return explain_power(evaluation, connection, heads["element"], key, heads["interval"], notices)


POWER_TABLE = TableKind("power", "Power and energy", "per phase and total", power_table, explained_power, place=2)
