"""A panel as a figure: its caption, and what draws it on any paper; as SVG without a toolkit."""

from collections.abc import Callable
from typing import TypeAlias

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.panels import panel_kind, panel_picture
from pantelos.panels.subjects import over_its_stretch, with_stretches
from pantelos.paper.paper import Box, Paper, Role
from pantelos.progress import Progress
from pantelos.study.shown import Panel

Draw: TypeAlias = Callable[[Paper, Box], None]
WIDTH, HEIGHT, CAPTION = 960.0, 480.0, 24.0  # pixels of a picture in a file, and of what stands below it


def panel_figure(evaluation: Evaluation, panel: Panel, progress: Progress | None = None) -> tuple[str, Draw]:
    """Return the caption of a panel, and what draws it.

    Raises
    ------
    StudyError
        When there is nothing to show, or the panel is a list.
    """
    kind = panel_kind(panel.kind)
    paint = kind.paint
    if paint is None:
        raise StudyError(f"{kind.title} is a list, not a picture. Take its table.")
    picture = panel_picture(with_stretches(evaluation, [panel]), over_its_stretch(panel), progress or Progress())
    return f"{kind.title} · {picture.caption}", lambda paper, box: paint(paper, box, picture, None)


def captioned(evaluation: Evaluation, caption: str) -> str:
    """Return a caption for a picture that stands alone: what study it is of stands before it."""
    return f"{evaluation.study.title} · {caption}"


def panel_svg(evaluation: Evaluation, panel: Panel, progress: Progress | None = None) -> bytes:
    """Return a panel as an SVG file; lines and words stay lines and words.

    Raises
    ------
    StudyError
        When there is nothing to show, or the panel is a list.
    """
    from pantelos.paper.svg import SvgPaper  # here, for the sake of a quick start: fonts are read

    caption, draw = panel_figure(evaluation, panel, progress)
    said = captioned(evaluation, caption)
    paper = SvgPaper(WIDTH, HEIGHT + CAPTION)
    paper.bar(Box(0, 0, WIDTH, HEIGHT + CAPTION), Role.GROUND)
    draw(paper, Box(0, 0, WIDTH, HEIGHT))
    paper.words(Box(10, HEIGHT, WIDTH - 20, CAPTION), said, Role.SOFT, 9)
    return f'<?xml version="1.0" encoding="UTF-8"?>\n{paper.svg(said)}\n'.encode()
