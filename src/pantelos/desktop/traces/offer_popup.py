"""The words offered below a line while it is typed, each with what it is."""

from collections.abc import Sequence

from PyQt6.QtCore import QEvent, QObject, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QHeaderView, QLineEdit, QTreeWidget, QTreeWidgetItem

from pantelos.desktop.drawing import painting
from pantelos.desktop.presenter.completion import Offer

_WIDTH, _WORD, _ROWS = 560, 190, 9


class OfferPopup(QObject):
    """Two columns: the word, and a few words on it; chosen by the arrow keys and Enter, by Tab or by a click."""

    chosen = pyqtSignal(str)

    def __init__(self, line: QLineEdit) -> None:
        super().__init__(line)
        self._line = line
        self.list = QTreeWidget(line, rootIsDecorated=False, headerHidden=True, uniformRowHeights=True, objectName="offers")
        self.list.setWindowFlags(Qt.WindowType.ToolTip)  # it never takes the keys from the line
        self.list.setColumnCount(2)
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setAccessibleName("Words that fit")
        header = self.list.header()
        if header is not None:
            header.setSectionResizeMode(0, QHeaderView.ResizeMode.Fixed)
            header.resizeSection(0, _WORD)
        self.list.itemClicked.connect(self._choose)
        self.list.hide()
        self._offers: list[Offer] = []
        line.installEventFilter(self)

    @property
    def words(self) -> list[str]:
        """The words offered now."""
        return [one.word for one in self._offers]

    def offer(self, found: Sequence[Offer], below: int = 0) -> None:
        """Offer words, so many pixels below the line; hide where there are none."""
        self._offers = list(found)
        self.list.clear()
        if not found:
            self.list.hide()
            return
        soft = self.list.palette().placeholderText()
        for one in found:
            item = QTreeWidgetItem([one.word, one.told])
            item.setFont(0, painting.tabular(9.5))
            item.setForeground(1, soft)
            item.setToolTip(1, one.told)
            self.list.addTopLevelItem(item)
        row = max(self.list.sizeHintForRow(0), 18)
        height = row * min(len(found), _ROWS) + 2 * self.list.frameWidth()
        place = self._line.mapToGlobal(QPoint(0, self._line.height() + below))
        self.list.setGeometry(place.x(), place.y(), _WIDTH, height)
        self.list.show()

    def hide(self) -> None:
        """Offer nothing."""
        self.offer(())

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Take the keys that choose; hide when the line is left."""
        if event is None or not self.list.isVisible():
            return False
        if event.type() in (QEvent.Type.FocusOut, QEvent.Type.Hide):
            self.hide()
            return False
        if not isinstance(event, QKeyEvent) or event.type() is not QEvent.Type.KeyPress:
            return False
        key, item = event.key(), self.list.currentItem()
        if key in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            at = self.list.indexOfTopLevelItem(item) if item is not None else -1 if key == Qt.Key.Key_Down else 0
            at = (at + (1 if key == Qt.Key.Key_Down else -1)) % self.list.topLevelItemCount()
            self.list.setCurrentItem(self.list.topLevelItem(at))
            return True
        if key == Qt.Key.Key_Tab or (key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and item is not None):
            self._choose(item or self.list.topLevelItem(0))
            return True
        if key == Qt.Key.Key_Escape:
            self.hide()
            return True
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.hide()
        return False

    def _choose(self, item: QTreeWidgetItem | None) -> None:
        if item is not None:
            self.choose(item.text(0))

    def choose(self, word: str) -> None:
        """Choose one of the words offered."""
        text = next((one.text for one in self._offers if one.word == word), None)
        self.hide()
        if text is not None:
            self.chosen.emit(text)
