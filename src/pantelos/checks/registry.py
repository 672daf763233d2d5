"""The registry of checks."""

from pantelos.checks.as_read import as_read
from pantelos.checks.check import Check
from pantelos.checks.connected import wired
from pantelos.checks.drift import offset_and_drift
from pantelos.checks.formulas import formulas
from pantelos.checks.headers import against_headers
from pantelos.checks.methods import methods
from pantelos.checks.ranges import recorder
from pantelos.checks.rate import rate
from pantelos.checks.whole_cycles import cycles
from pantelos.engine.evaluation import Evaluation
from pantelos.notice import Notice, Severity
from pantelos.registry import Registry

CHECKS = Registry("check", lambda check: check.id, (
    Check("formulas", "Formulas can be computed", formulas),
    Check("connected", "Channels sit in the right sockets, the right way round", wired),
    Check("headers", "Units agree with the header of the file", against_headers),
    Check("ranges", "The range of the recorder is used and kept", recorder),
    Check("as-read", "The files were read whole", as_read),
    Check("cycles", "Intervals hold whole cycles that were seen", cycles),
    Check("drift", "Alternating channels have no mean and keep their size", offset_and_drift),
    Check("rate", "The sample rate is high enough", rate),
    Check("methods", "Two ways to the same number agree", methods),
))  # fmt: skip


def run_checks(evaluation: Evaluation) -> tuple[Notice, ...]:
    """Return the findings of every check, in the order of the registry; those that found nothing say so."""
    return tuple(notice for check in CHECKS for notice in check.find(evaluation))


def concerns(notices: tuple[Notice, ...]) -> tuple[Notice, ...]:
    """Return those that ask for attention."""
    return tuple(notice for notice in notices if notice.severity is not Severity.FINE)
