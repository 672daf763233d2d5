"""The power chain of a study: powers of its points over one interval, losses and efficiency between any two, both directions."""

import math
from itertools import pairwise

import msgspec
import numpy as np

from pantelos.accuracy.budget import Budget, left_out
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.remembered import remembered
from pantelos.engine.uncertainty import power_accuracy
from pantelos.errors import PantelosError, StudyError
from pantelos.power.measurement import ConnectionPower, Products
from pantelos.power.over_time import cycles_of_step, every_cycles
from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray
from pantelos.signal.cycles.window import evaluation_window
from pantelos.signal.levels.partition import Partition, from_edges
from pantelos.signal.levels.piecewise import piece_means
from pantelos.study.model import Connection

NO_CHAIN = "There is no power chain yet. Say on the Wiring page which connections follow each other, or with --chain 'a > b'."
_NOTHING = 1e-3  # of the largest power of the chain: less has no efficiency


class MeasuredPoint(msgspec.Struct, frozen=True):
    """The power at one point of the chain, W, positive along the chain."""

    name: str
    P: float
    budget: Budget | None
    received: float  # energy along the chain over the interval, J
    returned: float  # against it
    why_not: str = ""
    remarks: tuple[str, ...] = ()
    without_phase: tuple[str, ...] = ()  # channels whose phase error nobody stated

    @property
    def expanded(self) -> float:
        """Expanded uncertainty of P, W; NaN where none is stated."""
        return self.budget.expanded if self.budget is not None and self.budget.given else math.nan


class ChainStage(msgspec.Struct, frozen=True):
    """What is lost between two points, W, and the efficiency in the direction in which power flows, a ratio."""

    name: str
    start: str
    stop: str
    loss: float
    loss_u: float  # expanded, NaN where not stated
    efficiency: float
    efficiency_u: float
    reverse: bool  # power flows against the chain
    energy_efficiency: float  # of the energies over the whole interval
    remark: str = ""
    too_much: bool = False  # more comes out than goes in, beyond what the accuracy allows


class Chain(msgspec.Struct, frozen=True):
    """Points in order, stages between neighbours, and all of it."""

    points: tuple[MeasuredPoint, ...]
    stages: tuple[ChainStage, ...]
    whole: ChainStage | None

    @property
    def leaves_out(self) -> str:
        """What ± of these powers, losses and efficiencies leaves out; empty where it is whole."""
        return left_out([name for point in self.points for name in point.without_phase])


def chain_of(evaluation: Evaluation, interval: str | None, progress: Progress | None = None) -> Chain:
    """Return the powers, losses and efficiencies of the chain over an interval.

    Raises
    ------
    StudyError
        When the study has no chain of two points.
    """
    steps = evaluation.study.chain
    if len(steps) < 2:
        raise StudyError(
            'There is no power chain yet. Say on the Wiring page which connections follow each other, or with --chain "a > b".'
        )
    progress = progress or Progress()
    points = [
        _point(
            evaluation,
            evaluation.study.connection(step.connection),
            interval,
            progress.part(k / len(steps), (k + 1) / len(steps)),
        )
        for k, step in enumerate(steps)
    ]
    least = _NOTHING * max((abs(p.P) for p in points if math.isfinite(p.P)), default=0.0)
    stages = tuple(
        between(a, b, step.stage or f"{a.name} to {b.name}", least)
        for (a, b), step in zip(pairwise(points), steps[:-1], strict=True)
    )
    whole = between(points[0], points[-1], f"{points[0].name} to {points[-1].name}", least)
    return Chain(tuple(points), stages, whole)


def _point(evaluation: Evaluation, connection: Connection, interval: str | None, progress: Progress) -> MeasuredPoint:
    try:
        power = evaluation.power(connection, interval, progress)
        stated = power_accuracy(evaluation, connection, interval)["total", "P"]
    except PantelosError as error:
        return MeasuredPoint(connection.name, math.nan, None, math.nan, math.nan, str(error))
    energy = power.total_energy
    why_not = "" if math.isfinite(power.total.P) else "; ".join(power.remarks)
    return MeasuredPoint(
        connection.name,
        power.total.P,
        stated.budget,
        energy.received,
        energy.returned,
        why_not,
        _said(power),
        stated.without_phase,
    )


def _said(power: ConnectionPower) -> tuple[str, ...]:
    return tuple(text for text in power.remarks if "DC connection" not in text)


def between(a: MeasuredPoint, b: MeasuredPoint, name: str, least: float) -> ChainStage:
    """Return what is lost between two points; in reverse, where power flows from b to a, b is what comes in.

    The budgets are put together input by input, so that what both powers share is taken with its sign.
    """
    loss = a.P - b.P
    both = a.budget is not None and b.budget is not None
    loss_u = a.budget.with_other(1.0, b.budget, -1.0).expanded if both else math.nan  # type: ignore[union-attr, arg-type]
    reverse = a.P < 0 and b.P < 0
    into, out = (b, a) if reverse else (a, b)
    efficiency, efficiency_u, remark, too_much = math.nan, math.nan, a.why_not or b.why_not, False
    if not remark:
        if abs(into.P) <= least or abs(out.P) <= least:
            remark = "hardly any power flows"
        elif into.P * out.P < 0:
            remark = "power flows in at both ends, or out at both: there is no efficiency"
        else:
            efficiency = out.P / into.P
            if both:
                of_out, of_in = 1 / into.P, -out.P / into.P**2
                efficiency_u = out.budget.with_other(of_out, into.budget, of_in).expanded  # type: ignore[union-attr, arg-type]
            if efficiency > 1 + (efficiency_u if math.isfinite(efficiency_u) else 0.0):
                too_much = True
                remark = "more comes out than goes in: check transducers, directions, and that both belong to the same interval"
    energies = _energy_efficiency(a, b, reverse) if not remark or math.isfinite(efficiency) else math.nan
    return ChainStage(name, a.name, b.name, loss, loss_u, efficiency, efficiency_u, reverse, energies, remark, too_much)


def _energy_efficiency(a: MeasuredPoint, b: MeasuredPoint, reverse: bool) -> float:
    into, out = (
        (b.returned - b.received, a.returned - a.received) if reverse else (a.received - a.returned, b.received - b.returned)
    )
    return out / into if into > 0 and out > 0 else math.nan


class ChainOverTime(msgspec.Struct, frozen=True, eq=False):
    """Powers of the points per piece, W, (n_points, n_pieces)."""

    points: tuple[str, ...]
    starts: FloatArray  # samples
    stops: FloatArray
    powers: FloatArray

    def efficiency(self, first: int = 0, last: int = -1) -> FloatArray:
        """Return the efficiency between two points per piece, in the direction in which power flows; NaN without one."""
        a, b = self.powers[first], self.powers[last]
        least = _NOTHING * float(np.nanmax(np.abs(self.powers), initial=0.0))
        reverse = (a < 0) & (b < 0)
        into, out = np.where(reverse, b, a), np.where(reverse, a, b)
        clear = (np.abs(into) > least) & (np.abs(out) > least) & (into * out > 0)
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.asarray(np.where(clear, out / into, np.nan))


def chain_over_time(evaluation: Evaluation, interval: str | None, progress: Progress | None = None) -> ChainOverTime:
    """Return the powers of the points over time, all over the same pieces: whole cycles of the first alternating connection.

    Raises
    ------
    StudyError
        When there is no chain.
    """
    steps, study, progress = evaluation.study.chain, evaluation.study, progress or Progress()
    if len(steps) < 2:
        raise StudyError(NO_CHAIN)
    connections = [study.connection(step.connection) for step in steps]
    pieces = _pieces(evaluation, _counting(evaluation, connections), interval)
    powers = []
    for at, connection in enumerate(connections):
        powers.append(_powers_of(evaluation, connection, interval, _counting(evaluation, connections)))
        progress.at((at + 1) / len(connections))
    return ChainOverTime(tuple(c.name for c in connections), pieces.starts, pieces.stops, np.array(powers))


@remembered()
def _powers_of(evaluation: Evaluation, connection: Connection, interval: str | None, counting: Connection | None) -> FloatArray:
    """Return the power of a connection over pieces of the cycles of another one, (n_pieces,), W."""
    kind, pieces = evaluation.wiring_of(connection), _pieces(evaluation, counting, interval)
    products = Products(kind, evaluation.stacked([connection.sockets[socket.name] for socket in kind.sockets]))
    return piece_means(lambda a, b: products.powers(a, b)[-1], pieces)


def _pieces(evaluation: Evaluation, counting: Connection | None, interval: str | None) -> Partition:
    rate, n = evaluation.record.rate_hz, evaluation.record.n_samples
    reference = evaluation.references.of_connection(counting) if counting is not None else None
    start, stop = evaluation.times.span(interval)
    if reference is not None and reference.cycles is not None:
        window = evaluation_window(reference.cycles, start, stop)
        if window.n_cycles:
            edges, _ = every_cycles(reference.cycles, window, cycles_of_step(evaluation.study.every, window.frequency_hz))
            return from_edges(edges, "piece", n, rate)
    count = max(round((stop - start) / rate / 0.2), 1)
    return from_edges(np.linspace(start, min(stop, n - 1), count + 1), "piece", n, rate)


def _counting(evaluation: Evaluation, connections: list[Connection]) -> Connection | None:
    """Return the connection whose cycles count for all of them: the first that alternates; None where none does."""
    return next((one for one in connections if evaluation.wiring_of(one).alternating), None)
