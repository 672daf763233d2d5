"""The registry of checks: what may be wrong with the data or the wiring of a study."""

import math
from collections.abc import Callable, Iterator

from pantelos.errors import PantelosError
from pantelos.notation import with_unit
from pantelos.notice import Notice, Severity
from pantelos.power import plausibility
from pantelos.power.quantities import symmetrical_components
from pantelos.record.clipping import clipping
from pantelos.record.record import Channel
from pantelos.signal.window import is_whole
from pantelos.study.evaluation import Evaluation
from pantelos.units import unit


def _broken_formulas(evaluation: Evaluation) -> Iterator[Notice]:
    for name, error in evaluation.broken.items():
        yield Notice(Severity.FAULT, "formula.broken", f"{name} cannot be computed", str(error), name)


def _wiring(evaluation: Evaluation) -> Iterator[Notice]:
    for connection in evaluation.study.connections:
        try:
            kind = evaluation.wiring_of(connection)
            power = evaluation.power(connection, None)
        except PantelosError as error:
            yield Notice(Severity.CAUTION, "wiring.incomplete", f"{connection.name} is not complete", str(error),
                         connection=connection.name)  # fmt: skip
            continue
        if kind.three_phase:
            yield from _phase_order(evaluation, connection.name)
        yield from plausibility.power_signs(kind, power, dict(connection.sockets), connection.name)


def _phase_order(evaluation: Evaluation, name: str) -> Iterator[Notice]:
    connection = evaluation.study.connection(name)
    kind = evaluation.wiring_of(connection)
    channels = [connection.sockets[socket.name] for socket in kind.sockets]
    try:
        orders = evaluation.harmonics(channels, None)
    except PantelosError:
        return
    first = orders.phasors[0, : len(channels), 1:2]
    lines = kind.derived(kind.line_voltages, first)[:, 0]
    yield plausibility.phase_order(symmetrical_components(*(complex(x) for x in lines)), name)


def _recorder(evaluation: Evaluation) -> Iterator[Notice]:
    n_checked = 0
    clean = True
    for setup in evaluation.study.channels:
        channel = evaluation.resolve(setup.name)
        assert isinstance(channel, Channel)
        n_checked += 1
        for piece in channel.pieces:
            found = clipping(piece.raw)
            if found.levels:
                clean = False
                at = " and ".join(with_unit(level * piece.gain + piece.zero, channel.unit, 4) for level in found.levels)
                yield plausibility.clipped(setup.name, found.n_samples, at)
        peak = max(map(abs, evaluation.extent(setup.name)))
        if channel.full_scale and math.isfinite(peak):
            notice = plausibility.range_used(setup.name, peak, channel.full_scale)
            if notice is not None:
                yield notice
    if clean and n_checked:
        yield Notice(Severity.FINE, "record.clipped", "no clipping", f"{n_checked} channels")


def _cycles(evaluation: Evaluation) -> Iterator[Notice]:
    interval = evaluation.study.active_interval
    if interval is None or evaluation.study.reference is None:
        return
    n_cycles = evaluation.n_cycles(None)
    if math.isfinite(n_cycles) and not is_whole(n_cycles):
        window = evaluation.window(None)
        used = f"readings use the {window.n_cycles} whole cycles inside" if window.n_cycles else "readings use all samples"
        yield Notice(Severity.CAUTION, "interval.broken-cycles",
                     f"{interval.name} holds {n_cycles:.2f} cycles of {evaluation.study.reference}",
                     f"{used}; snap it to make it whole")  # fmt: skip


def _record(evaluation: Evaluation) -> Iterator[Notice]:
    for note in evaluation.record.notes:
        yield Notice(Severity.FINE, "record.time", note)
    for setup in evaluation.study.channels:
        missing = _missing(evaluation, setup.name)
        if missing:
            share = with_unit(missing / evaluation.record.n_samples, unit("%"), 2)
            yield Notice(Severity.CAUTION, "record.missing", f"{missing} samples of {setup.name} are missing",
                         f"{share} of the record; readings say how much of their interval was measured", setup.name)  # fmt: skip


def _missing(evaluation: Evaluation, name: str) -> int:
    """Return how many samples of a channel are missing; only buckets that may hold some are looked at."""
    channel = evaluation.resolve(name)
    assert isinstance(channel, Channel)
    return evaluation.cached(("missing", evaluation.identity(name)), channel.n_missing)


CHECKS: tuple[Callable[[Evaluation], Iterator[Notice]], ...] = (_broken_formulas, _wiring, _recorder, _record, _cycles)


def run_checks(evaluation: Evaluation) -> tuple[Notice, ...]:
    """Return the findings of every check, in the order of the registry; those that found nothing say so."""
    return tuple(notice for check in CHECKS for notice in check(evaluation))


def concerns(notices: tuple[Notice, ...]) -> tuple[Notice, ...]:
    """Return those that ask for attention."""
    return tuple(notice for notice in notices if notice.severity is not Severity.FINE)
