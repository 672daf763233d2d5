"""A panel as a picture in a file, without a window."""

from pathlib import Path

from PyQt6.QtCore import QSize

from pantelos.desktop.application import make_application
from pantelos.desktop.picture_out import Figure, save_figure
from pantelos.desktop.qt_paper import QtPaper, box_of
from pantelos.desktop.theme import LIGHT
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.panels import panel_kind, panel_picture
from pantelos.panels.subjects import over_its_stretch, with_stretches
from pantelos.progress import Progress
from pantelos.study.model import Panel

SIZE = QSize(960, 480)


def save_panel(evaluation: Evaluation, panel: Panel, path: Path, progress: Progress | None = None) -> None:
    """Draw a panel and write it as PNG or SVG, by the suffix of the file.

    Raises
    ------
    StudyError
        When there is nothing to show, or the panel is a list.
    FileAccessError
        When the file cannot be written.
    """
    kind = panel_kind(panel.kind)
    picture = panel_picture(with_stretches(evaluation, [panel]), over_its_stretch(panel), progress or Progress())
    if kind.paint is None:
        raise StudyError(f"{kind.title} is a list, not a picture. Take its table.")
    app = make_application()  # lives as long as the picture is made
    paint = kind.paint
    caption = f"{evaluation.study.title} · {kind.title} · {picture.caption}"
    save_figure(Figure(caption, SIZE, lambda painter, rect: paint(QtPaper(painter, LIGHT), box_of(rect), picture, None)), path)
    app.processEvents()
