"""The shelf: formulas and functions on two leaves beside the lanes."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QHBoxLayout, QStackedWidget, QTabBar, QToolButton, QVBoxLayout, QWidget

from pantelos.desktop.document import Document
from pantelos.desktop.formulas.formula_list import FormulaList
from pantelos.desktop.formulas.function_list import FunctionList
from pantelos.desktop.runner import Runner
from pantelos.desktop.theme import Theme
from pantelos.errors import PantelosError

_WIDTH = 340
FORMULAS, FUNCTIONS = 0, 1


class FormulaShelf(QWidget):
    """Opens at one of its leaves, and closes with Escape."""

    failed = pyqtSignal(PantelosError)
    edit_wanted = pyqtSignal(str)  # a text for the derive line

    def __init__(self, document: Document, runner: Runner, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent, objectName="side")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(_WIDTH)
        self.formulas = FormulaList(document, theme)
        self.functions = FunctionList(document, runner)
        self._leaves = QStackedWidget()
        self._tabs = QTabBar(expanding=False, drawBase=False)
        for title, leaf in (("Formulas", self.formulas), ("Functions", self.functions)):
            self._tabs.addTab(title)
            self._leaves.addWidget(leaf)
        self._tabs.currentChanged.connect(self._leaves.setCurrentIndex)
        self._tabs.currentChanged.connect(lambda at: self.refresh())
        close = QToolButton(text="×", toolTip="Close")
        close.setAccessibleName("Close formulas and functions")
        close.clicked.connect(self.hide)
        top = QHBoxLayout()
        top.addWidget(self._tabs, 1)
        top.addWidget(close)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 4, 8, 8)
        column.addLayout(top)
        column.addWidget(self._leaves, 1)
        for leaf in (self.formulas, self.functions):
            leaf.edit_wanted.connect(self.edit_wanted)
            leaf.failed.connect(self.failed)

    def open_at(self, leaf: int) -> None:
        """Show one of the leaves; hide the shelf where that one is shown already."""
        if self.isVisible() and self._tabs.currentIndex() == leaf:
            self.hide()
            return
        self._tabs.setCurrentIndex(leaf)
        self.show()
        self.refresh()
        (self.functions.search if leaf == FUNCTIONS else self.formulas.list).setFocus()

    def refresh(self) -> None:
        """Show the formulas of the present study."""
        if self.isVisible():
            self.formulas.refresh()
            self.functions.refresh()

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self.formulas.set_theme(theme)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Escape closes the shelf."""
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.hide()
        else:
            super().keyPressEvent(event)
