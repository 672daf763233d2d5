"""Power quality of a study: the parameters of its connection or of imported trends, and verdicts against limit sets."""

import math
from collections.abc import Callable, Mapping, Sequence
from functools import cache

import msgspec
import numpy as np

from pantelos.accuracy.budget import COVERAGE_FACTOR, Shape
from pantelos.engine.clock import clock_at, clock_said, into_day
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.references import recorded_behind
from pantelos.engine.remembered import remembered
from pantelos.engine.trends import on_ticks, trend_levels
from pantelos.engine.uncertainty import reading_accuracy, seen_noise, stated_inputs, value_accuracy
from pantelos.errors import PantelosError, StudyError
from pantelos.formula.derived import Scalar
from pantelos.power.fundamentals import phase_voltages
from pantelos.power.wirings import Wiring, wiring
from pantelos.progress import Progress
from pantelos.quality.disturbances import Thresholds
from pantelos.quality.half_cycles import no_half_cycles
from pantelos.quality.levels import OF_CURRENTS, OF_SYSTEM, Declared, MeasuredLevel
from pantelos.quality.limits import limit_set, limits_of
from pantelos.quality.long_survey import mains_frequency, survey_by_hours
from pantelos.quality.parameters import Phases
from pantelos.quality.periods import PERIODS_S, periods_of
from pantelos.quality.requirements import Limit, LimitSet
from pantelos.quality.spans import Span
from pantelos.quality.survey import SupplySurvey, survey
from pantelos.quality.verdicts import Basis, Judged, Verdict, judge
from pantelos.reading.kinds import READINGS
from pantelos.reading.reading import ReadingKind
from pantelos.study.model import WHOLE_RECORD, Connection, Quality, Study
from pantelos.study.operations.formulas import set_formula
from pantelos.units import unit

_FLICKER_SHARE = 0.01  # of P_st: what the algorithm is off at the points of the standard, with room
_LINE_SHARE = 5e-4  # of the nominal voltage: what a class I instrument may be off at a small order (IEC 61000-4-7, table 1)
_DISTORTION_SHARE = 0.001  # of THD: windows that follow the frequency, without what the gain does over frequency
_IMPLAUSIBLE_U2 = 50.0  # % of unbalance that no supply has and wrong wiring makes
_JUDGED = "judged"  # the name of a formula while it is held against its limit
_AT_ONCE_S = 5200.0  # a longer record is surveyed by hours
_UNBALANCE = 1 / math.sqrt(3)  # of the relative accuracy of one voltage, in unbalance


class Surveyed(msgspec.Struct, frozen=True, eq=False):
    """What was found, and of which channels."""

    survey: SupplySurvey
    voltages: tuple[str, ...]
    currents: tuple[str, ...]
    source: str  # whose parameters they are, in words
    channels: Mapping[str, str] = {}  # the channel behind a conductor, where values are imported

    def names(self, parameter: str) -> tuple[str, ...]:
        """Return what the columns of a parameter are of."""
        if parameter in OF_SYSTEM:
            return ("",)
        return self.currents if parameter in OF_CURRENTS else self.voltages


class JudgedSet(msgspec.Struct, frozen=True, eq=False):
    """A limit set and what came of each of its limits."""

    of: LimitSet
    judged: tuple[Judged, ...]


def quality_connection(study: Study) -> Connection:
    """Return the connection whose quality is asked for.

    Raises
    ------
    StudyError
        When there is none that alternates.
    """
    if study.quality.connection is not None:
        return study.connection(study.quality.connection)
    for connection in study.connections:
        if wiring(connection.wiring).alternating:
            return connection
    raise StudyError("Power quality needs a connection with voltages, or trends of its parameters. Wire one on the Wiring page.")


def quality_voltages(evaluation: Evaluation) -> tuple[str, ...]:
    """Return the channels whose quality is asked for.

    Raises
    ------
    StudyError
        When there are none.
    """
    connection = quality_connection(evaluation.study)
    found = _placed(evaluation, connection, wiring(connection.wiring).with_sockets(connection.sockets), "voltage")
    if not found:
        raise StudyError(f'Connection "{connection.name}" has no voltage yet, so no quality. Place one in a voltage socket.')
    return found


def quality_channels(evaluation: Evaluation) -> dict[str, tuple[str, ...]]:
    """Return the channels that the declarations of the supply speak of, by voltage and current; none where there are none."""
    try:
        connection = quality_connection(evaluation.study)
        kind = wiring(connection.wiring).with_sockets(connection.sockets)
        return {quantity: _placed(evaluation, connection, kind, quantity) for quantity in ("voltage", "current")}
    except PantelosError:
        return {}


def declared(evaluation: Evaluation, frequency_hz: float = math.nan) -> Declared:
    """Return what is declared of the supply.

    Raises
    ------
    StudyError
        When no voltage is.
    """
    of = evaluation.study.quality
    voltage = of.U_din
    if voltage is None and not of.trends:
        voltage = quality_connection(evaluation.study).expected.voltage
    if voltage is None:
        raise StudyError("The declared voltage is not stated. Say it on the Tables page, or with --declare 'U_din = 230 V'.")
    mains = of.frequency_hz or (60 if abs(frequency_hz - 60) < abs(frequency_hz - 50) else 50)
    thresholds = Thresholds(of.dip, of.swell, of.interruption, of.hysteresis)
    return Declared(voltage, mains, of.lamp, thresholds, of.sliding, of.rapid, of.signal_hz)


def surveyed(evaluation: Evaluation, progress: Progress | None = None) -> Surveyed:
    """Return the parameters of power quality over the whole record; kept like every result.

    Raises
    ------
    StudyError
        When there is nothing to take them from, or no cycles to take them by.
    """
    study = evaluation.study
    if study.quality.trends:
        return _of_trends(evaluation, [trend.channel for trend in study.quality.trends], study.quality)
    connection = quality_connection(study)
    kind = wiring(connection.wiring).with_sockets(connection.sockets)
    by = {"voltage": quality_voltages(evaluation), "current": _placed(evaluation, connection, kind, "current")}
    record, why = evaluation.record, ""
    channels, n_voltages = [*by["voltage"], *by["current"]], len(by["voltage"])
    if record.duration_s > _AT_ONCE_S:
        f = _mains_frequency(evaluation, by["voltage"])
    else:
        reference = evaluation.references.of_connection(connection)
        f, why = reference.cycles.frequency_hz if reference.cycles is not None else math.nan, reference.why
    if not kind.alternating or not math.isfinite(f):
        raise StudyError(f"Power quality of {connection.name} needs cycles of a voltage: {why or 'there are none'}.")
    stated = declared(evaluation, f)
    began_s = into_day(evaluation)
    found = _survey(evaluation, connection, channels, Asked(stated, began_s, f, n_voltages, _phases(kind, connection)), progress)
    found = msgspec.structs.replace(found, remarks=(*found.remarks, *clock_said(study.quality)))
    return Surveyed(found, by["voltage"], by["current"], f"connection {connection.name}, {kind.title}")


class Asked(msgspec.Struct, frozen=True):
    """What a survey is told beside its channels."""

    declared: Declared
    began_s: float | None
    frequency_hz: float
    n_voltages: int
    phases: Phases | None


def _phases(kind: Wiring, connection: Connection) -> Phases | None:
    """Return how the voltages that are placed make those of three phases; None where they do not."""
    placed = [one.name for one in kind.sockets if one.quantity == "voltage" and one.name in connection.sockets]
    given = dict(zip(placed, np.eye(len(placed)), strict=True))
    lines = [name for row in kind.line_voltages for name in row]
    missing = sorted(set(lines) - set(placed))
    if len(missing) == 1 and kind.wires == 3 and len(lines) == 3:  # the three voltages between conductors sum to nothing
        given[missing[0]] = -np.sum(list(given.values()), axis=0)
    elif missing or not kind.three_phase:
        return None
    found = phase_voltages(kind, lambda row: np.asarray(sum(share * given[name] for name, share in row.items())))
    return Phases(tuple(tuple(row.tolist()) for row in found), kind.wires == 4)


@remembered()
def _mains_frequency(evaluation: Evaluation, channels: Sequence[str]) -> float:
    record = evaluation.record
    return mains_frequency(evaluation.stacked(channels), len(channels), record.n_samples, record.rate_hz)


@remembered()
def _survey(
    evaluation: Evaluation, connection: Connection, channels: Sequence[str], asked: Asked, progress: Progress | None
) -> SupplySurvey:
    record = evaluation.record
    read, highest = evaluation.stacked(channels), max(evaluation.study.highest_order, 50)
    given = asked.declared, highest, asked.began_s, asked.phases, progress
    cycles = evaluation.references.of_connection(connection).cycles if record.duration_s <= _AT_ONCE_S else None
    if cycles is not None:
        return survey(read, asked.n_voltages, record.n_samples, cycles, *given)
    return survey_by_hours(read, asked.n_voltages, record.n_samples, record.rate_hz, asked.frequency_hz, *given)


def judged_sets(evaluation: Evaluation, names: Sequence[str] | None = None, progress: Progress | None = None) -> list[JudgedSet]:
    """Return the verdicts on each limit of the sets named, of those chosen in the study for None.

    Raises
    ------
    StudyError
        When there is no set, or a set needs an input that is not stated.
    """
    wanted = evaluation.study.quality.sets if names is None else tuple(names)
    if not wanted:
        raise StudyError("No limit set is chosen. Choose one on the Tables page, or with --declare 'limits = en50160-lv'.")
    sets = [limit_set(name) for name in wanted]
    limits = [limits_of(one, evaluation.study.quality.known_inputs) for one in sets]
    needed = any(not limit.requirement.formula for some in limits for limit in some)
    found = surveyed(evaluation, progress) if needed else None
    return [JudgedSet(one, _judge_all(evaluation, one, some, found)) for one, some in zip(sets, limits, strict=True)]


def _placed(evaluation: Evaluation, connection: Connection, kind: Wiring, quantity: str) -> tuple[str, ...]:
    """Return the channels in the sockets of a quantity; quality needs no currents, and takes those that are there."""
    sockets = [one for one in kind.sockets if one.quantity == quantity and one.name in connection.sockets]
    names = tuple(connection.sockets[one.name] for one in sockets)
    for socket, name in zip(sockets, names, strict=True):
        if name in evaluation.names.broken:
            raise evaluation.names.broken[name]
        found = evaluation.names.unit(name)
        if not found.like(socket.unit):
            raise StudyError(
                f"{name} in socket {socket.name} is in {found.symbol}, not in {socket.unit.symbol}. State its transducer."
            )
    return names


@remembered()
def _of_trends(evaluation: Evaluation, channels: Sequence[str], of: Quality) -> Surveyed:
    stated = declared(evaluation)
    levels, voltages, currents = trend_levels(evaluation, stated.voltage)
    none = no_half_cycles(0)
    record = evaluation.record
    began_s = into_day(evaluation)
    aligned = began_s is not None and on_ticks(began_s, levels)
    said = ["values of imported trends"]
    if began_s is not None and not aligned:
        said.append(f"they begin at {clock_at(evaluation, record.start_s)}, beside the ticks of the clock")
    found = SupplySurvey(stated, record.rate_hz, levels, none, (), (), aligned, (*said, *clock_said(of)))
    behind = {t.conductor: t.channel for t in of.trends if t.parameter in ("I", "U")}
    return Surveyed(found, voltages, currents, "imported trends", behind)


def _judge_all(evaluation: Evaluation, of: LimitSet, limits: list[Limit], found: Surveyed | None) -> tuple[Judged, ...]:
    basis = None if found is None else basis_of(evaluation, found)
    return tuple(
        _of_formula(evaluation, one) if basis is None or one.requirement.formula else judge(one, of, basis) for one in limits
    )


def basis_of(evaluation: Evaluation, found: Surveyed) -> Basis:
    """Return what limits are judged on: values, their accuracy, and what is wrong with them."""
    study = evaluation.study
    kind = READINGS["mean" if found.channels else "rms"]
    behind = {name: found.channels.get(name, name) for name in (*found.voltages, *found.currents)}
    shares = {name: _share(evaluation, kind, channel) for name, channel in behind.items() if channel in study.names}
    ppm = study.record.time_base_ppm if study.record is not None else 0.0
    clock = 2e-6 * ppm / math.sqrt(3) if ppm else math.nan

    def expanded(parameter: str, order: int | None, column: int) -> tuple[float, float]:
        names = found.names(parameter)
        if parameter == "f":
            return clock, 0.0
        if parameter in ("u2", "u0") and not found.channels:
            return 0.0, 100 * _UNBALANCE * max((shares.get(name, math.nan) for name in found.voltages), default=math.nan)
        share = shares.get(names[column], math.nan) if column < len(names) else math.nan
        if found.channels and parameter not in ("U", "I"):
            return math.nan, 0.0  # what made these values does not say
        if parameter in ("Pst", "Plt"):
            return (_FLICKER_SHARE if math.isfinite(share) else math.nan), 0.0
        if parameter.startswith("THD"):
            return (_DISTORTION_SHARE if math.isfinite(share) else math.nan), 0.0  # what all orders have in common cancels
        line = order is not None and order > 1 and column < len(names)
        return share, of_a_line(names[column]) if line and math.isfinite(share) else 0.0

    def of_a_line(name: str) -> float:
        """A constant part of the limits of error may lie at any order: as much as it is, and no less than class I may."""
        least = _LINE_SHARE * found.survey.declared.voltage if name in found.voltages else 0.0
        return 2 * max(_constant(evaluation, behind[name]), Shape.RECTANGULAR.standard(least))

    wrong = {name: said for name in shares if (said := _wrong(evaluation, behind[name]))}
    said = _wrong_together(found.survey)
    wrong |= {"": said} if said else {}
    channels = {"U": found.voltages, "I": found.currents}
    stated = found.survey.declared.voltage
    record = evaluation.record
    periods = {one: periods_of(one, record.n_samples, record.rate_hz, into_day(evaluation)) for one in PERIODS_S}

    def told(sample: float) -> str:
        at = record.start_s + sample / record.rate_hz
        return clock_at(evaluation, at) or f"{at:.6g} s"

    flagged = study.quality.with_flagged
    return Basis(
        found.survey.levels, channels, stated, study.quality.inputs, expanded, wrong, flagged, periods, told, study.quality.rule
    )


def cycle_accuracy(evaluation: Evaluation, found: Surveyed) -> Callable[[int, float], float]:
    """Return what gives the expanded uncertainty of the rms of one cycle, V, from a voltage (its place) and that rms.

    The relative accuracy of the channel over the record, and what its constant part and the noise of the samples of a cycle do:
    their squares lift the rms, so they count the more the less voltage is left. NaN where the channel states none.
    """
    n = max(found.survey.cycle_s * evaluation.record.rate_hz, 1.0)  # samples of a cycle

    @cache
    def parts(name: str) -> tuple[float, float, float]:
        share = _share(evaluation, READINGS["rms"], name)
        if not math.isfinite(share):
            return math.nan, math.nan, math.nan
        noise = math.hypot(*(seen_noise(evaluation, one, WHOLE_RECORD) for one in recorded_behind(evaluation.study, [name])))
        return share, _constant(evaluation, name), noise

    def expanded(channel: int, volts: float) -> float:
        share, constant, noise = parts(found.voltages[channel])
        lifts = math.hypot(COVERAGE_FACTOR * constant, noise)
        lifted = volts - math.sqrt(max(volts**2 - lifts**2, 0.0))
        return math.hypot(share * volts, lifted, COVERAGE_FACTOR * noise / math.sqrt(n))

    return expanded


def _share(evaluation: Evaluation, kind: ReadingKind, name: str) -> float:
    """Return the expanded uncertainty of a reading of a channel over the record as a share of it; NaN where none is stated."""
    stated = reading_accuracy(evaluation, kind, (name,), WHOLE_RECORD)
    value = evaluation.reading(kind, (name,), WHOLE_RECORD).value
    return stated.expanded / abs(value) if value else math.nan


def _constant(evaluation: Evaluation, name: str) -> float:
    """Return the standard uncertainty that the constant part of a chain states, SI."""
    inputs, _ = stated_inputs(evaluation.study, [name])
    return math.hypot(0.0, *(one.standard for one in inputs if one.name == "offset"))


def _wrong(evaluation: Evaluation, name: str) -> str:
    """Return what makes every value of a channel wrong; empty where nothing does."""
    if evaluation.study.formula(name) is not None:
        return ""
    n = evaluation.n_clipped(name, WHOLE_RECORD)
    return f"{n} samples of {name} are clipped" if n else ""


def _wrong_together(found: SupplySurvey) -> str:
    """Return what makes values of all voltages together wrong; empty where nothing does."""
    for base in ("10 min", "3 s"):
        u2 = found.levels[base].values.get("u2") if base in found.levels else None
        if u2 is not None and np.isfinite(u2).any():
            middle = float(np.nanmedian(u2))
            if middle > _IMPLAUSIBLE_U2:
                return f"the unbalance is {middle:.3g} %: voltages are exchanged, reversed or scaled unlike"
    return ""


def _of_formula(evaluation: Evaluation, limit: Limit) -> Judged:
    """Return the verdict on a reading typed as a formula."""
    one = limit.requirement
    try:
        text = one.formula_with(_dc_channels(evaluation.study), evaluation.study.quality.known_inputs)
        name, known = _JUDGED, evaluation.study.names
        while name in known:
            name += "_"
        evaluation = evaluation.on(set_formula(evaluation.study, f"{name} = {text}"))
        found = evaluation.samples.resolve(name)
    except PantelosError as error:
        return Judged(limit, Verdict.INSUFFICIENT, (f"{one.formula}: {error}",))
    if not isinstance(found, Scalar) or not math.isfinite(found.value):
        return Judged(limit, Verdict.INSUFFICIENT, (f"{text} has no value",))
    factor = unit(one.unit).factor if one.unit else 1.0
    level = MeasuredLevel(
        "value", Span(np.zeros(1), np.ones(1)), np.ones(1), np.zeros(1, dtype=bool), {"value": np.array([[found.value / factor]])}
    )
    plain = msgspec.structs.replace(
        limit, requirement=msgspec.structs.replace(one, parameter="value", base="value", statistic="value")
    )
    within = value_accuracy(evaluation, name).expanded / factor
    if not math.isfinite(within) and found.method_u:
        within = COVERAGE_FACTOR * found.method_u / factor
    rule = evaluation.study.quality.rule
    basis = Basis({"value": level}, {}, 1.0, {}, lambda *_: (0.0, within), {}, rule=rule)
    empty = LimitSet("", "", "", "", period="observation")
    return msgspec.structs.replace(judge(plain, empty, basis), limit=limit)


def _dc_channels(study: Study) -> dict[str, str]:
    """Return the channels of the DC connection whose quality is asked for by the names of their sockets: u and i."""
    direct = [one for one in study.connections if not wiring(one.wiring).alternating and wiring(one.wiring).electrical]
    chosen = next((one for one in direct if one.name == study.quality.connection), direct[0] if direct else None)
    return dict(chosen.sockets) if chosen is not None else {}
