"""The power chain as one line on the Wiring page: connections in order, what stands between them, power and efficiency below."""

import math
from collections.abc import Callable
from functools import partial
from itertools import pairwise

import numpy as np
from PyQt6.QtCore import QPoint, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QMenu, QSizePolicy, QToolButton, QWidget

from pantelos.desktop.document import Document
from pantelos.desktop.drawing.qt_paper import QtPaper, box_of
from pantelos.desktop.parts.labels import breakable
from pantelos.desktop.parts.menus import offer
from pantelos.desktop.parts.popups import Popup
from pantelos.desktop.runner import Runner
from pantelos.desktop.theme import Theme
from pantelos.engine.chain import Chain, chain_of
from pantelos.errors import PantelosError
from pantelos.notation import PARTLY, accuracy_apart, number
from pantelos.notice import Severity
from pantelos.paper.paper import Align, Box, Role
from pantelos.power.wirings import wiring
from pantelos.study import operations as op
from pantelos.study.model import ChainPoint
from pantelos.units import unit

_HEIGHT, _LOWEST = 76, 34  # pixels; where there is little room, accuracy and stages are left out
_WATT = unit("W")


class ChainStrip(QWidget):
    """Shows the chain of the study and lets it be changed; a click on a point shows its connection."""

    chosen = pyqtSignal(str)  # a connection
    failed = pyqtSignal(PantelosError)

    def __init__(self, document: Document, runner: Runner, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent, objectName="side")
        self._document, self._runner = document, runner
        self.view = _ChainView(document, theme)
        self.view.chosen.connect(self.chosen)
        edit = QToolButton(text="Power chain", toolTip="Which connections power goes through, one after the other")
        edit.setProperty("boxed", True)
        edit.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self._menu = QMenu(edit)
        self._menu.aboutToShow.connect(self._fill_menu)
        edit.setMenu(self._menu)
        self._edit = edit
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        row = QHBoxLayout(self)
        row.setContentsMargins(18, 0, 12, 0)
        row.addWidget(edit, 0, Qt.AlignmentFlag.AlignVCenter)
        row.addWidget(self.view, 1)

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self.view.theme = theme
        self.view.update()

    def refresh(self) -> None:
        """Show the present chain, and have its powers computed."""
        evaluation = self._document.evaluation
        self.setVisible(len(self._document.study.connections) > 1)
        self.view.found = None
        self.view.update()
        if evaluation is None or len(self._document.study.chain) < 2:
            return

        def taken(found: Chain) -> None:
            self.view.found = found
            self.view.update()

        self._runner.run("chain", lambda progress: chain_of(evaluation, None, progress), taken)

    def _fill_menu(self) -> None:
        self._menu.clear()
        study = self._document.study
        offer(self._menu, "Type it…", self.ask)
        offer(
            self._menu, "All connections in their order", lambda: self._take(tuple(ChainPoint(c.name) for c in study.connections))
        )
        present = {point.connection for point in study.chain}
        for connection in study.connections:
            if connection.name not in present and study.chain:
                longer = (*study.chain, ChainPoint(connection.name))
                offer(self._menu, f"Add {connection.name} at its end", partial(self._take, longer))
        if study.chain:
            self._menu.addSeparator()
            offer(self._menu, "No power chain", lambda: self._take(()))

    def ask(self) -> None:
        """Let the chain be typed."""
        popup = _ChainLine(self.text, self._typed, self)
        popup.open_at(self._edit.mapToGlobal(QPoint(220, 0)))
        popup.line.setFocus()

    @property
    def text(self) -> str:
        """The chain as it is typed."""
        parts = []
        for point in self._document.study.chain:
            parts += [point.connection, *([point.stage] if point.stage else [])]
        return " > ".join(parts)

    def _typed(self, text: str) -> str:
        """Take a chain as typed; return what is wrong with it, nothing where it was taken."""
        try:
            points = op.chain_from(self._document.study, text) if text.strip() else ()
            self._document.take(op.set_chain(self._document.study, points), "power chain")
        except PantelosError as error:
            return str(error)
        return ""

    def _take(self, points: tuple[ChainPoint, ...]) -> None:
        try:
            self._document.take(op.set_chain(self._document.study, points), "power chain")
        except PantelosError as error:
            self.failed.emit(error)


class _ChainLine(Popup):
    """A line in which the chain is typed."""

    def __init__(self, text: str, taken: Callable[[str], str], parent: QWidget) -> None:
        super().__init__(parent, 560)
        heading = QLabel("Power chain: connections in order, and between them what stands there")
        heading.setWordWrap(True)
        self.line = QLineEdit(text, placeholderText="mains > rectifier > dc link > inverter > machine > motor > shaft")
        self.line.setAccessibleName("Power chain")
        self._said = QLabel()
        self._said.setProperty("fault", True)
        self._said.setWordWrap(True)
        self.line.returnPressed.connect(lambda: self._enter(taken))
        for widget in (heading, self.line, self._said):
            self.column.addWidget(widget)

    def _enter(self, taken: Callable[[str], str]) -> None:
        wrong = taken(self.line.text())
        if wrong:
            self._said.setText(breakable(wrong))
            self.adjustSize()
        else:
            self.close()


class _ChainView(QWidget):
    """Draws the chain."""

    chosen = pyqtSignal(str)

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__()
        self._document, self.theme = document, theme
        self.found: Chain | None = None
        self.setMinimumHeight(_LOWEST)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.setAccessibleName("Power chain")

    def sizeHint(self) -> QSize:
        """Ask for one line."""
        return QSize(600, _HEIGHT)

    def _places(self) -> list[float]:
        n = len(self._document.study.chain)
        margin = 70.0
        return [margin + (self.width() - 2 * margin) * k / max(n - 1, 1) for k in range(n)]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw points, what stands between them, power and efficiency."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.ground))
        paper, box = QtPaper(painter, self.theme), box_of(QRectF(self.rect()))
        study = self._document.study
        if len(study.chain) < 2:
            said = "Say here which connections power goes through: supply, converter, DC link, machine, shaft."
            paper.words(box, said, Role.SOFT, 9)
            return
        places, roomy = self._places(), self.height() >= _HEIGHT - 4
        y = 30.0 if roomy else 10.0
        for k, (a, b) in enumerate(pairwise(places)):
            middle, room = 0.5 * (a + b), b - a - 96
            paper.line(np.array([a + 46, b - 46]), np.array([y, y]), Role.SOFT, 1.4)
            paper.shape(np.array([b - 54, b - 46, b - 54]), np.array([y - 4, y, y + 4]), Role.SOFT)
            if roomy:
                paper.words(Box(middle - room / 2, y - 20, room, 14), study.chain[k].stage, Role.INK, 8.5, align=Align.CENTRE)
            stage = self.found.stages[k] if self.found is not None and k < len(self.found.stages) else None
            if stage is not None and math.isfinite(stage.efficiency):
                text = f"η {number(100 * stage.efficiency, 3)} %" + (" reverse" if stage.reverse else "")
                ink = Role.CAUTION if stage.too_much else Role.SOFT
                said = f"{Severity.CAUTION.mark} {text}" if stage.too_much else text
                paper.words(Box(middle - room / 2, y + 5, room, 14), said, ink, 8, bold=stage.too_much, align=Align.CENTRE)
        for k, (point, x) in enumerate(zip(study.chain, places, strict=True)):
            kind = wiring(study.connection(point.connection).wiring)
            hue = kind.elements[0].conductor if not kind.alternating else Role.INK
            paper.words(Box(x - 60, y - 10, 120, 18), point.connection, hue, 10, bold=True, align=Align.CENTRE)
            found = self.found.points[k] if self.found is not None and k < len(self.found.points) else None
            if found is not None:
                text, sure = accuracy_apart(found.P, found.expanded, _WATT, 4)
                text = text if math.isfinite(found.P) else "not given"
                paper.words(Box(x - 66, y + 12, 132, 14), text, Role.INK, 8.5, align=Align.CENTRE)
                if sure and roomy:
                    sure += PARTLY if found.without_phase else ""
                    paper.words(Box(x - 66, y + 27, 132, 13), sure, Role.SOFT, 8, align=Align.CENTRE)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Show the connection that was clicked."""
        if event is None:
            return
        for point, x in zip(self._document.study.chain, self._places(), strict=True):
            if abs(event.position().x() - x) < 50:
                self.chosen.emit(point.connection)
