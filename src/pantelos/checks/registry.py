"""The registry of checks."""

from pantelos.checks.check import Check
from pantelos.engine.evaluation import Evaluation
from pantelos.notice import Notice
from pantelos.registry import Registry, defined_in

CHECKS = Registry("check", lambda check: check.id, defined_in("pantelos.checks", Check, lambda check: check.place))


def run_checks(evaluation: Evaluation) -> tuple[Notice, ...]:
    """Return the findings of every check, in the order of the registry; those that found nothing say so."""
    return tuple(notice for check in CHECKS for notice in check.find(evaluation))


def concerns(notices: tuple[Notice, ...]) -> tuple[Notice, ...]:
    """Return those that ask for attention."""
    return tuple(notice for notice in notices if notice.severity.asks)
