"""No stage of a power chain gives out more than it takes in."""

from collections.abc import Iterator

from pantelos.checks.check import Check
from pantelos.engine.chain import chain_of
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError
from pantelos.notation import number
from pantelos.notice import Notice, Severity


def efficiencies(evaluation: Evaluation) -> Iterator[Notice]:
    """Say which stages, or the whole, have an efficiency above 100 % by more than its accuracy."""
    if len(evaluation.study.chain) < 2:
        return
    try:
        found = chain_of(evaluation, None)
    except PantelosError:
        return  # the chain itself says why
    for stage in (*found.stages, *([found.whole] if found.whole is not None and len(found.stages) > 1 else [])):
        if stage.too_much:
            yield Notice(
                Severity.CAUTION,
                "chain.efficiency",
                f"{stage.name}: efficiency {number(100 * stage.efficiency, 4)} % in {evaluation.times.name(None)}",
                stage.remark,
            )


CHECK = Check("efficiencies", "No stage gives out more than it takes in", efficiencies, place=10)
