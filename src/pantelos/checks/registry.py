"""The registry: adding a check is one entry here."""

from collections.abc import Callable, Iterator

from pantelos.checks import connections, evaluated, recorded
from pantelos.engine.evaluation import Evaluation
from pantelos.notice import Notice, Severity

CHECKS: tuple[Callable[[Evaluation], Iterator[Notice]], ...] = (
    evaluated.formulas,
    connections.wired,
    connections.against_headers,
    recorded.recorder,
    recorded.as_read,
    evaluated.cycles,
    recorded.offset_and_drift,
    recorded.rate,
    evaluated.methods,
)


def run_checks(evaluation: Evaluation) -> tuple[Notice, ...]:
    """Return the findings of every check, in the order of the registry; those that found nothing say so."""
    return tuple(notice for check in CHECKS for notice in check(evaluation))


def concerns(notices: tuple[Notice, ...]) -> tuple[Notice, ...]:
    """Return those that ask for attention."""
    return tuple(notice for notice in notices if notice.severity is not Severity.FINE)
