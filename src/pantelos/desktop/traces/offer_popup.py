"""The words offered below a line while it is typed, each with what it is."""

from collections.abc import Sequence

from PyQt6.QtCore import QObject, QRect, Qt, pyqtSignal
from PyQt6.QtGui import QStandardItem, QStandardItemModel
from PyQt6.QtWidgets import QCompleter, QHeaderView, QLineEdit, QTreeView

from pantelos.desktop import painting
from pantelos.desktop.presenter.completion import Offer

_WIDTH, _WORD = 560, 190


class OfferPopup(QObject):
    """Two columns: the word, and a few words on it; chosen by Enter, Tab or a click."""

    chosen = pyqtSignal(str)

    def __init__(self, line: QLineEdit) -> None:
        super().__init__(line)
        self._model = QStandardItemModel(0, 2, self)
        self.list = QTreeView()
        self.list.setRootIsDecorated(False)
        self.list.setHeaderHidden(True)
        self.list.setUniformRowHeights(True)
        self.list.setMinimumWidth(_WIDTH)
        self._completer = QCompleter(self._model, self)
        self._completer.setCompletionMode(QCompleter.CompletionMode.UnfilteredPopupCompletion)
        self._completer.setPopup(self.list)
        self._completer.setWidget(line)
        self._completer.setMaxVisibleItems(9)
        header = self.list.header()
        if header is not None:
            header.setStretchLastSection(True)
            header.setSectionResizeMode(0, QHeaderView.ResizeMode.Fixed)
            header.resizeSection(0, _WORD)
        self._completer.activated.connect(self._choose)
        self._texts: dict[str, str] = {}

    @property
    def words(self) -> list[str]:
        """The words offered now."""
        return list(self._texts)

    @property
    def visible(self) -> bool:
        """Whether anything is offered."""
        return self.list.isVisible()

    def offer(self, found: Sequence[Offer], typed: str, below: int = 0) -> None:
        """Offer words for what is typed, so many pixels below the line; hide where there are none."""
        self._texts = {one.word: one.text for one in found}
        if not found:
            self.list.hide()
            return
        self._model.removeRows(0, self._model.rowCount())
        for one in found:
            word, told = QStandardItem(one.word), QStandardItem(one.told)
            word.setFont(painting.tabular(9.5))
            told.setData(self.list.palette().placeholderText(), Qt.ItemDataRole.ForegroundRole)
            self._model.appendRow([word, told])
        self._completer.setCompletionPrefix(typed)
        line = self._completer.widget()
        self._completer.complete(line.rect().adjusted(0, 0, 0, below) if line is not None else QRect())

    def hide(self) -> None:
        """Offer nothing."""
        self.list.hide()

    def _choose(self, word: str) -> None:
        if word in self._texts:
            self.chosen.emit(self._texts[word])
