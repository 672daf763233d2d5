"""What other packages bring can be used."""

from collections.abc import Iterator

from pantelos.checks.check import Check
from pantelos.engine.evaluation import Evaluation
from pantelos.notice import Notice, Severity
from pantelos.packages import told
from pantelos.quality.limits import known_sets
from pantelos.registry import Registry


def packages_used(evaluation: Evaluation) -> Iterator[Notice]:
    """Say of each thing that a package brings and that is left out, why."""
    known_sets()
    for registry in Registry.every:
        len(registry)  # asks for what packages bring of it
    for said in told():
        yield Notice(Severity.CAUTION, "packages", said.removesuffix("."), "all else is as without it")


CHECK = Check("packages", "What other packages bring can be used", packages_used, place=5)
