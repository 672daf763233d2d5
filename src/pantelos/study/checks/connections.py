"""Checks of what is wired: completeness, phase order, sign of power."""

from collections.abc import Iterator

from pantelos.errors import PantelosError
from pantelos.notice import Notice, Severity
from pantelos.power import plausibility
from pantelos.power.quantities import symmetrical_components
from pantelos.study.evaluation import Evaluation


def wired(evaluation: Evaluation) -> Iterator[Notice]:
    """Check every connection: complete, phases in order, powers of one sign."""
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
