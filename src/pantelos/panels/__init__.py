"""The kinds of panel: a file each, of what it takes and what it shows. Nothing here knows Qt."""

from collections.abc import Sequence
from typing import Any

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.panels.panel import PanelKind, first_of
from pantelos.progress import Progress
from pantelos.registry import Registry
from pantelos.study.shown import Panel

PANELS = Registry.of_modules("panel", PanelKind, __name__, "panels")


def panel_kind(id_: str) -> PanelKind:
    """Return the kind of panel of that id; one that shows why it shows nothing, where a newer program has written the study."""
    return PANELS.get(id_) or PanelKind(id_, id_, "Not known to this version", lambda evaluation: [], _unknown, n_channels=0)


def _unknown(evaluation: Evaluation, panel: Panel, progress: Progress) -> Any:
    raise StudyError(f'This version knows no panel "{panel.kind}"; there are {", ".join(PANELS.names)}.')


def panel_picture(evaluation: Evaluation, panel: Panel, progress: Progress) -> Any:
    """Return what a panel shows; raises `StudyError` where there is nothing to show, saying why."""
    kind = panel_kind(panel.kind)
    if len(panel.channels) < min(kind.n_channels, 1):
        raise StudyError("Choose a channel in the title of this panel.")
    return kind.picture(evaluation, panel, progress)


def first_panel(evaluation: Evaluation, kind: str, chosen: Sequence[str] = ()) -> Panel:
    """Return a panel of a kind on the chosen channels, else on the first it can show."""
    return first_of(PANELS[kind], evaluation, chosen)


__all__ = ["PANELS", "PanelKind", "first_panel", "panel_kind", "panel_picture"]
