"""The drawer: all channels and formulas in one list to search, for records with many of them."""

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QGridLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from pantelos.desktop.document import Document
from pantelos.desktop.drawing import painting
from pantelos.desktop.theme import Theme
from pantelos.errors import PantelosError, StudyError
from pantelos.formula.compiled import Kind
from pantelos.notation import counted
from pantelos.paper import hues
from pantelos.study import operations as op
from pantelos.study.model import Study

_WIDTH = 210


class ChannelDrawer(QWidget):
    """Tick what is shown; choose several and put them into one lane, into lanes of their own, or away."""

    failed = pyqtSignal(PantelosError)

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent, objectName="side")
        self._document, self._theme = document, theme
        self.setFixedWidth(_WIDTH)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.search = QLineEdit(placeholderText="search channels", clearButtonEnabled=True, accessibleName="Search channels")
        self.search.textChanged.connect(self._filter)
        self.list = QListWidget(accessibleName="All channels")
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.list.setUniformItemSizes(True)
        self.list.itemChanged.connect(self._ticked)
        self._count = QLabel()
        self._count.setProperty("soft", True)
        buttons = QGridLayout()
        buttons.setSpacing(4)
        for at, (text, tip, run) in enumerate(
            (
                ("One lane", "Overlay the chosen channels in one lane", lambda: self.show_chosen(True)),
                ("Lane each", "Give each chosen channel a lane of its own", lambda: self.show_chosen(False)),
                ("Hide", "Hide the chosen channels", self.hide_chosen),
                ("Close", "Close this list", self.hide),
            )
        ):
            button = QPushButton(text, toolTip=tip)
            button.clicked.connect(lambda _=False, run=run: run())
            buttons.addWidget(button, at // 2, at % 2)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        column.addWidget(self.search)
        column.addWidget(self.list, 1)
        column.addWidget(self._count)
        column.addLayout(buttons)

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self._theme = theme
        self.refresh()

    def refresh(self) -> None:
        """Show the channels of the present study; what is chosen stays chosen."""
        evaluation = self._document.evaluation
        if not self.isVisible() or evaluation is None:
            return
        study, chosen = self._document.study, set(self.chosen())
        shown = {name for lane in study.lanes for name in lane.channels}
        self.list.blockSignals(True)
        self.list.clear()
        for name in study.names:
            known = name in evaluation.names.types
            if known and evaluation.names.kind(name) is Kind.SCALAR:
                continue
            item = QListWidgetItem(f"{name}   {evaluation.names.unit(name).symbol if known else '!'}")
            item.setData(Qt.ItemDataRole.UserRole, name)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if name in shown else Qt.CheckState.Unchecked)
            item.setFont(painting.tabular(9.5))
            item.setForeground(self._theme.conductor(hues.conductor(study, name)) if known else QColor(self._theme.fault))
            item.setSizeHint(QSize(0, 24))
            self.list.addItem(item)
            item.setSelected(name in chosen)
        self.list.blockSignals(False)
        self._filter(self.search.text())

    def _filter(self, text: str) -> None:
        words = text.lower().split()
        found = 0
        for item in self._items():
            hidden = not all(word in item.text().lower() for word in words)
            item.setHidden(hidden)
            found += not hidden
        self._count.setText(f"{found} of {self.list.count()} channels")

    def _items(self) -> list[QListWidgetItem]:
        return [item for at in range(self.list.count()) if (item := self.list.item(at)) is not None]

    def chosen(self) -> list[str]:
        """Return the channels that are chosen in the list, in their order, as far as the search shows them."""
        return [str(item.data(Qt.ItemDataRole.UserRole)) for item in self._items() if item.isSelected() and not item.isHidden()]

    def _take(self, study: Study, step: str) -> None:
        self._document.take(study, step)

    def _ticked(self, item: QListWidgetItem) -> None:
        """Show or hide a channel, or all chosen ones when it is one of them."""
        name = str(item.data(Qt.ItemDataRole.UserRole))
        names = self.chosen() if name in self.chosen() else [name]
        if item.checkState() == Qt.CheckState.Checked:
            hidden = [n for n in names if not any(n in lane.channels for lane in self._document.study.lanes)]
            self._take(op.show_channels(self._document.study, hidden, together=False), f"show {', '.join(hidden)}")
        else:
            self._take(op.hide_channels(self._document.study, names), f"hide {', '.join(names)}")

    def show_chosen(self, together: bool) -> None:
        """Show the chosen channels in one lane, which takes one unit, or in a lane each."""
        names, evaluation = self.chosen(), self._document.evaluation
        if not names or evaluation is None:
            return
        units = {evaluation.names.unit(name).dimension for name in names if name in evaluation.names.types}
        if together and len(units) > 1:
            self.failed.emit(
                StudyError("A lane shows one unit, and the chosen channels have several. Choose channels of one unit.")
            )
            return
        self._take(op.show_channels(self._document.study, names, together), f"show {counted(len(names), 'channel')}")

    def hide_chosen(self) -> None:
        """Hide the chosen channels."""
        names = self.chosen()
        if names:
            self._take(op.hide_channels(self._document.study, names), f"hide {counted(len(names), 'channel')}")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Escape closes the drawer."""
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.hide()
        else:
            super().keyPressEvent(event)
