"""What the panels of a study show can be relied on."""

from collections.abc import Iterator

from pantelos.checks.check import Check
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError
from pantelos.notice import Notice
from pantelos.panels import panel_kind
from pantelos.panels.subjects import over_its_stretch, with_stretches


def panels_shown(evaluation: Evaluation) -> Iterator[Notice]:
    """Have each kind of panel say what is to be said about a panel of it; one that shows nothing says why itself."""
    for panel in evaluation.study.panels:
        concerns = panel_kind(panel.kind).concerns
        if concerns is not None and panel.channels and all(name in evaluation.names.types for name in panel.channels):
            try:
                yield from concerns(with_stretches(evaluation, [panel]), over_its_stretch(panel))
            except PantelosError:
                continue


CHECK = Check("panels", "What the panels show can be relied on", panels_shown, place=10)
