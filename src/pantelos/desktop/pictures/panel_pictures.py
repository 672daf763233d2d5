"""A panel as pixels in a file, without a window."""

from pathlib import Path

from PyQt6.QtCore import QSize

from pantelos.desktop.application import make_application
from pantelos.desktop.drawing.picture_out import CaptionedPicture, save_figure
from pantelos.desktop.drawing.qt_paper import QtPaper, box_of
from pantelos.desktop.theme import LIGHT
from pantelos.engine.evaluation import Evaluation
from pantelos.study.shown import Panel
from pantelos.tables.panel_figures import HEIGHT, WIDTH, captioned, panel_figure


def save_panel(evaluation: Evaluation, panel: Panel, path: Path) -> None:
    """Draw a panel and write it as PNG.

    Raises
    ------
    StudyError
        When there is nothing to show, or the panel is a list.
    FileAccessError
        When the file cannot be written.
    """
    caption, draw = panel_figure(evaluation, panel)
    app = make_application()  # lives as long as the picture is made
    size = QSize(int(WIDTH), int(HEIGHT))
    figure = CaptionedPicture(
        captioned(evaluation, caption), size, lambda painter, rect: draw(QtPaper(painter, LIGHT), box_of(rect))
    )
    save_figure(figure, path)
    app.processEvents()
