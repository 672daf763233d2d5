"""Search over all actions: type a word, choose with the arrow keys, Enter."""

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QAction, QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget


def rank(words: list[str], title: str, explained: str) -> int | None:
    """Return how near an action is to the words typed, small is nearer; None where it is not meant."""
    title, own = title.lower(), title.lower().replace("…", "").split()
    if all(word in own for word in words):
        return 0
    if all(any(other.startswith(word) for other in own) for word in words):
        return 1
    if all(word in title for word in words):
        return 2
    return 3 if all(word in f"{title} {explained.lower()}" for word in words) else None


def _title(action: QAction) -> str:
    return action.text().replace("&", "")


class FindAction(QDialog):
    """Lists the actions whose title or help holds every word typed."""

    def __init__(self, actions: list[QAction], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._actions = actions
        self.setWindowTitle("Find an action")
        self.resize(560, 380)
        self.edit = QLineEdit(placeholderText="what do you want to do?")
        self.list = QListWidget()
        column = QVBoxLayout(self)
        column.addWidget(self.edit)
        column.addWidget(self.list)
        self.edit.textChanged.connect(self._filter)
        self.edit.returnPressed.connect(self._run)
        self.list.itemActivated.connect(self._run)
        self.edit.installEventFilter(self)
        self._filter("")

    def _filter(self, text: str) -> None:
        self.list.clear()
        words = text.lower().split()
        ranked = [(rank(words, _title(action), action.toolTip()), action) for action in self._actions]
        for _, action in sorted(((at, action) for at, action in ranked if at is not None), key=lambda pair: pair[0]):
            title = _title(action)
            if action.isVisible():
                key = action.shortcut().toString()
                item = QListWidgetItem(f"{title}{'      ' + key if key else ''}\n{action.toolTip()}")
                item.setData(Qt.ItemDataRole.UserRole, self._actions.index(action))
                if not action.isEnabled():
                    item.setFlags(Qt.ItemFlag.NoItemFlags)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _run(self) -> None:
        item = self.list.currentItem()
        if item is not None and item.flags() & Qt.ItemFlag.ItemIsEnabled:
            action = self._actions[item.data(Qt.ItemDataRole.UserRole)]
            self.accept()
            action.trigger()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Let the arrow keys move in the list while typing."""
        if isinstance(event, QKeyEvent) and event.type() is QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if step is not None:
                self.list.setCurrentRow(min(max(self.list.currentRow() + step, 0), self.list.count() - 1))
                return True
        return super().eventFilter(watched, event)
