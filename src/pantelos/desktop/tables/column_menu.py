"""The columns of a sheet: ticked where they are shown, dragged into an order."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QMenu, QToolButton, QWidget, QWidgetAction

from pantelos.sheets.columns import choice_of
from pantelos.study.report import ColumnChoice

_WIDTH, _MOST_ROWS = 230, 18  # pixels, rows


class GridColumnMenu(QToolButton):
    """A button that opens the list."""

    chosen = pyqtSignal(object)  # ColumnChoice, None: all as they are

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent, text="Columns", toolTip="Which columns this sheet has, and in which order")
        self.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self._titles: tuple[str, ...] = ()
        self._filling = False
        self.list = QListWidget()
        self.list.setAccessibleName("Columns of the sheet")
        self.list.setDragDropMode(QListWidget.DragDropMode.InternalMove)
        menu, action = QMenu(self), QWidgetAction(self)
        action.setDefaultWidget(self.list)
        menu.addAction(action)
        again = menu.addAction("All as they are")
        assert again is not None
        again.triggered.connect(lambda: self.chosen.emit(None))
        self.setMenu(menu)
        self.list.itemChanged.connect(lambda _: self._choose())
        model = self.list.model()
        assert model is not None
        model.rowsMoved.connect(lambda *_: self._choose())

    def offer(self, titles: Sequence[str], choice: ColumnChoice | None) -> None:
        """Offer the columns of a sheet, as they are chosen."""
        self._titles, choice = tuple(titles), choice or ColumnChoice()
        first = [title for title in choice.order if title in titles]
        self._filling = True
        self.list.clear()
        for title in (*first, *(title for title in titles if title not in first)):
            item = QListWidgetItem(title)
            item.setCheckState(Qt.CheckState.Unchecked if title in choice.left_out else Qt.CheckState.Checked)
            self.list.addItem(item)
        row = max(self.list.sizeHintForRow(0), 1)
        self.list.setFixedSize(_WIDTH, 2 * self.list.frameWidth() + row * min(max(len(titles), 1), _MOST_ROWS) + 2)
        self._filling = False
        self.setEnabled(bool(titles))

    def _choose(self) -> None:
        if self._filling:
            return
        items = [item for at in range(self.list.count()) if (item := self.list.item(at)) is not None]
        shown = [item.text() for item in items if item.checkState() is Qt.CheckState.Checked]
        self.chosen.emit(choice_of(self._titles, shown))
