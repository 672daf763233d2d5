"""What may be wrong with the data, the wiring or the evaluation of a study: one registry, each finding with place and remedy."""

from pantelos.checks.registry import CHECKS, concerns, run_checks

__all__ = ["CHECKS", "concerns", "run_checks"]
