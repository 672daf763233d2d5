"""A panel beside the live waveforms: the same kinds as anywhere, over the last shot."""

from typing import Any

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from pantelos.desktop.drawing.qt_paper import QtPaper, box_of
from pantelos.desktop.parts.labels import ShortLabel
from pantelos.desktop.theme import Theme
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError
from pantelos.panels import PANELS, panel_kind, panel_picture
from pantelos.paper.paper import Align, Role
from pantelos.progress import Progress
from pantelos.study.shown import Panel


class LivePanel(QWidget):
    """Chooses a kind and a channel, and draws its picture."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.kind, self.channel, self.said = (
            QComboBox(accessibleName="What is shown live"),
            QComboBox(accessibleName="Channel shown live"),
            ShortLabel(),
        )
        for kind in PANELS:
            if kind.live:
                self.kind.addItem(kind.title, kind.id)
        self.said.setProperty("soft", True)
        self.said.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.canvas = _Canvas(theme)
        top = QHBoxLayout()
        top.setContentsMargins(12, 4, 12, 0)
        for widget in (self.kind, self.channel):
            top.addWidget(widget)
        top.addWidget(self.said, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addLayout(top)
        column.addWidget(self.canvas, 1)

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self.canvas.theme = theme
        self.canvas.update()

    def offer(self, names: list[str]) -> None:
        """Offer channels."""
        kept = self.channel.currentText()
        self.channel.clear()
        self.channel.addItems(names)
        if kept in names:
            self.channel.setCurrentText(kept)
        self.canvas.show_picture(None, None, "")

    def wanted(self) -> Panel:
        """Return what is to be shown."""
        return Panel(self.kind.currentData(), (self.channel.currentText(),))

    def show_picture(self, panel: Panel, picture: Any, said: str) -> None:
        """Show what was computed, or why there is nothing."""
        self.said.setText("" if picture is None else getattr(picture, "caption", ""))
        self.canvas.show_picture(panel, picture, said)


def picture_or_reason(evaluation: Evaluation, panel: Panel, progress: Progress) -> tuple[Any, str]:
    """Return the picture of a panel, or None and why."""
    try:
        return panel_picture(evaluation, panel, progress), ""
    except PantelosError as error:
        return None, str(error)


class _Canvas(QWidget):
    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self._panel: Panel | None = None
        self._picture: Any = None
        self._said = ""
        self.setMinimumHeight(90)

    def show_picture(self, panel: Panel | None, picture: Any, said: str) -> None:
        self._panel, self._picture, self._said = panel, picture, said
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        paper = QtPaper(QPainter(self), self.theme)
        if self._panel is None or self._picture is None:
            paper.words(box_of(QRectF(self.rect())), self._said, Role.SOFT, 9, align=Align.CENTRE)
            return
        paint = panel_kind(self._panel.kind).paint
        if paint is not None:
            paint(paper, box_of(QRectF(self.rect())), self._picture, None)
