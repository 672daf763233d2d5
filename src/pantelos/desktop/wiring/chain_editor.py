"""The editor of a cell of the scaling chains: what was typed stays until it fits, and what it would do is said while typing."""

from collections.abc import Callable

from PyQt6.QtCore import QAbstractItemModel, QEvent, QModelIndex, QObject, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QPalette
from PyQt6.QtWidgets import (
    QAbstractItemDelegate,
    QAbstractItemView,
    QCompleter,
    QLabel,
    QLineEdit,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QWidget,
)

from pantelos.desktop.presenter.chain import TRANSDUCER
from pantelos.desktop.theme import Theme
from pantelos.desktop.wiring.chain_model import ChainModel
from pantelos.errors import PantelosError

_LEAVE = (QEvent.Type.FocusOut, QEvent.Type.Hide)
_CONFIRM = (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Tab)


class KeepsInk(QStyledItemDelegate):
    """Lets chosen rows keep the hue of their channel, and what warns its colour."""

    def initStyleOption(self, option: QStyleOptionViewItem | None, index: QModelIndex) -> None:
        """Write in the same ink as a row that is not chosen."""
        super().initStyleOption(option, index)
        ink = index.data(Qt.ItemDataRole.ForegroundRole)
        if option is not None and isinstance(ink, QColor):
            palette = option.palette
            palette.setColor(QPalette.ColorRole.HighlightedText, ink)
            option.palette = palette


class ChainEditor(KeepsInk):
    """Opens a line over a cell, with a word below it that moves nothing on the page."""

    def __init__(
        self, chain: ChainModel, rows_meant: Callable[[QModelIndex], list[int]], theme: Theme, view: QAbstractItemView
    ) -> None:
        super().__init__(view)
        self._chain, self._rows_meant, self._theme, self._view = chain, rows_meant, theme, view
        self._index = QModelIndex()
        self.rows: list[int] = []
        self.said = QLabel(view)
        self.said.setWordWrap(True)
        self.said.hide()

    def createEditor(self, parent: QWidget | None, option: QStyleOptionViewItem, index: QModelIndex) -> QLineEdit:
        """Open a line; the transducers used last are offered."""
        line = QLineEdit(parent)
        self._index, self.rows = index, self._rows_meant(index)
        if index.column() == TRANSDUCER:
            offered = QCompleter(self._chain.last_used(), line)
            offered.setFilterMode(Qt.MatchFlag.MatchContains)
            offered.setCompletionMode(QCompleter.CompletionMode.PopupCompletion)
            line.setCompleter(offered)
        line.textEdited.connect(self._judge)
        return line

    def _judge(self, text: str) -> bool:
        """Say what a text would do, or why it cannot be; return whether it fits."""
        try:
            said, fits = self._chain.effect(self.rows, self._index.column(), text), True
        except PantelosError as error:
            said, fits = str(error), False
        self._say(said, fits)
        return fits

    def _say(self, text: str, fits: bool) -> None:
        """Show a word right below the line, above it where there is no room."""
        ink = self._theme.soft if fits else self._theme.fault
        self.said.setStyleSheet(
            f"QLabel {{ background: {self._theme.panel}; border: 1px solid {self._theme.rule}; color: {ink}; padding: 4px 8px; }}"
        )
        self.said.setText(text)
        self.said.setVisible(bool(text))
        viewport = self._view.viewport()
        assert viewport is not None
        cell = self._view.visualRect(self._index).translated(viewport.pos())
        width = min(max(self.said.fontMetrics().horizontalAdvance(text) + 24, cell.width()), self._view.width() - 8, 560)
        self.said.setFixedWidth(width)
        height = self.said.heightForWidth(width)
        top = cell.bottom() + 1 if cell.bottom() + height < self._view.height() else cell.top() - height - 1
        self.said.setGeometry(min(cell.left(), self._view.width() - width - 4), max(top, 0), width, height)
        self.said.raise_()

    def setEditorData(self, editor: QWidget | None, index: QModelIndex) -> None:
        """Show the present text, but never over what was typed."""
        if isinstance(editor, QLineEdit) and not editor.isModified():
            super().setEditorData(editor, index)

    def setModelData(self, editor: QWidget | None, model: QAbstractItemModel | None, index: QModelIndex) -> None:
        """Take what was typed for all rows meant."""
        if isinstance(editor, QLineEdit) and editor.isModified():
            try:
                self._chain.take(self.rows, index.column(), editor.text())
            except PantelosError as error:  # another row was gone to: what was typed is given up with a word
                self._chain.failed.emit(error)

    def eventFilter(self, editor: QObject | None, event: QEvent | None) -> bool:
        """Keep the line open until its text fits; Escape lets go of it."""
        if not isinstance(editor, QLineEdit) or event is None:
            return super().eventFilter(editor, event)
        confirmed = isinstance(event, QKeyEvent) and event.type() is QEvent.Type.KeyPress and event.key() in _CONFIRM
        left = event.type() in _LEAVE and not _popup_of(editor)
        if (confirmed or left) and editor.isModified() and not self._judge(editor.text()):
            return confirmed  # what was typed stays, and so does the word
        if confirmed or left or (isinstance(event, QKeyEvent) and event.key() == Qt.Key.Key_Escape):
            self.said.hide()
        if confirmed and isinstance(event, QKeyEvent) and event.key() != Qt.Key.Key_Tab:
            self.commitData.emit(editor)
            self.closeEditor.emit(editor, QAbstractItemDelegate.EndEditHint.NoHint)
            return True
        return super().eventFilter(editor, event)

    def destroyEditor(self, editor: QWidget | None, index: QModelIndex) -> None:
        """Take the word away with the line."""
        self.said.hide()
        super().destroyEditor(editor, index)


def _popup_of(line: QLineEdit) -> bool:
    """Return whether the focus went to what the line offers."""
    offered = line.completer()
    popup = offered.popup() if offered is not None else None
    return popup is not None and popup.isVisible()
