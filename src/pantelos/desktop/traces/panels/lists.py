"""Panels that are lists: events with the sentence that finds them, and values at the edges."""

from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QResizeEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QTableView,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from pantelos.desktop.document import Document
from pantelos.desktop.parts.labels import breakable
from pantelos.desktop.presenter.time_axis import instant_text
from pantelos.desktop.theme import Theme
from pantelos.desktop.traces.panels.body import PanelBody
from pantelos.engine.instants import EdgeValues
from pantelos.errors import StudyError
from pantelos.notation import with_accuracy_once, with_unit
from pantelos.panels.edges import EdgeTable
from pantelos.panels.events import EventList
from pantelos.study import operations as op
from pantelos.study.sentences import EXAMPLES, search_from
from pantelos.study.shown import Panel

_ROW = 20
_WIDEST_NAME = 110
_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


class _Rows(QAbstractTableModel):
    """Rows of text made when they are looked at, however many there are."""

    headings: tuple[str, ...] = ()
    words: tuple[int, ...] = ()  # columns of words, not of numbers

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.headings)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> object:
        if role == Qt.ItemDataRole.DisplayRole and orientation is Qt.Orientation.Horizontal:
            return self.headings[section]
        return self._alignment(section) if role == Qt.ItemDataRole.TextAlignmentRole else None

    def _alignment(self, column: int) -> Qt.AlignmentFlag:
        return _LEFT if column in self.words else _RIGHT

    def data(self, index: QModelIndex, role: int = 0) -> object:
        if role == Qt.ItemDataRole.DisplayRole:
            return self.text(index.row(), index.column())
        if role == Qt.ItemDataRole.ForegroundRole:
            return self.colour(index.row(), index.column())
        return self._alignment(index.column()) if role == Qt.ItemDataRole.TextAlignmentRole else None

    def text(self, row: int, column: int) -> str:
        """Return what a cell says."""
        raise NotImplementedError

    def colour(self, row: int, column: int) -> QColor | None:
        """Return the colour of a cell, or None for that of the theme."""
        return None


def _table(model: _Rows, name: str, fill: bool) -> QTableView:
    table = QTableView()
    table.setModel(model)
    table.setAccessibleName(name)
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.setShowGrid(False)
    table.setAlternatingRowColors(True)
    upright, across = table.verticalHeader(), table.horizontalHeader()
    assert upright is not None and across is not None
    upright.setVisible(False)
    upright.setDefaultSectionSize(_ROW)
    across.setSectionResizeMode(QHeaderView.ResizeMode.Stretch if fill else QHeaderView.ResizeMode.ResizeToContents)
    across.setStretchLastSection(not fill)
    if fill:
        table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    return table


class EventRows(_Rows):
    """Number, instant and what is told of each event."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self.found: EventList | None = None

    def show(self, found: EventList) -> None:
        """Show other events."""
        self.beginResetModel()
        self.found = found
        self.headings = ("no.", "at", found.events.told)
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.found.events) if self.found is not None else 0

    def text(self, row: int, column: int) -> str:
        assert self.found is not None
        if column == 0:
            return str(row + 1)
        if column == 1:
            record = self._document.record
            step = 0.01 / record.rate_hz if record is not None else 1e-6
            return instant_text(float(self.found.instants_s[row]), self._document.study, record, step)
        return with_unit(float(self.found.events.values[row]), self.found.events.unit, 5)


class _ListBody(PanelBody):
    """The body of a panel that is a table; rows of what is not current are grey."""

    table: QTableView

    def grey(self) -> None:
        """Mark what is shown as no longer current."""
        self.stale = True
        self.table.setEnabled(False)

    def drawn_size(self) -> QSize:
        """Return the size of the table."""
        return self.table.size()

    def draw(self, painter: QPainter, rect: QRectF, theme: Theme) -> None:
        """Draw the table as it stands."""
        painter.drawPixmap(rect.topLeft(), self.table.grab())


class EventsBody(_ListBody):
    """The sentence that says what to look for, how many there are, and a list to step through."""

    def __init__(self, document: Document, panel: Panel, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(theme, parent)
        self._document, self._search = document, panel.search
        self.edit = QLineEdit(placeholderText=EXAMPLES[0], accessibleName="What to look for")
        self.edit.setToolTip("Say what to look for: " + "; ".join(EXAMPLES))
        self.edit.returnPressed.connect(self.enter)
        self._said = QLabel()
        self._said.setProperty("soft", True)
        self._said.setWordWrap(True)
        self.rows = EventRows(document)
        self.table = _table(self.rows, "Events", fill=True)
        self.table.clicked.connect(lambda index: self.event_chosen.emit(self._search or "", index.row()))
        line = QHBoxLayout()
        line.setContentsMargins(8, 4, 6, 2)
        line.addWidget(self.edit, 1)
        for text, tip, step in (("◂", "The event before", -1), ("▸", "The event after", 1)):
            button = QToolButton(text=text, toolTip=tip, accessibleName=tip)
            button.clicked.connect(lambda _=False, step=step: self.step(step))
            line.addWidget(button)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(line)
        column.addWidget(self._said)
        column.addWidget(self.table, 1)
        self._said.hide()

    def enter(self) -> None:
        """Look for what the sentence says."""
        evaluation = self._document.evaluation
        if evaluation is None:
            return
        try:
            search = search_from(self.edit.text(), evaluation.names.types, self._search or "")
            study = op.set_search(self._document.study, search)
        except StudyError as error:
            self.show_message(str(error))
            return
        name = search.name or study.searches[-1].name
        self._document.take(study, f"events {name}")
        if name != self._search:
            self.search_named.emit(name)

    def step(self, by: int) -> None:
        """Go to the event before or after."""
        n = self.rows.rowCount()
        if n:
            at = self.table.currentIndex().row()
            self.stand_at(self._search, min(max(at + by, 0), n - 1) if at >= 0 else (0 if by > 0 else n - 1))
            self.event_chosen.emit(self._search or "", self.table.currentIndex().row())

    def stand_at(self, search: str | None, event: int | None) -> None:
        """Mark an event in the list."""
        if search == self._search and event is not None and event < self.rows.rowCount():
            self.table.setCurrentIndex(self.rows.index(event, 0))

    def show_picture(self, picture: Any) -> None:
        """Show the events found."""
        if isinstance(picture, EventList):
            self.picture, self.message, self.stale = picture, "", False
            self._said.hide()
            if not self.edit.hasFocus() or not self.edit.isModified():
                self.edit.setText(picture.sentence)
                self.edit.setCursorPosition(0)  # its beginning is what is read
            self.rows.show(picture)
            self.table.setEnabled(True)

    def show_message(self, text: str) -> None:
        """Say why there are none."""
        self.message = text
        self._said.setText(breakable(text))
        self._said.setContentsMargins(10, 2, 10, 4)
        self._said.show()


class EdgeRows(_Rows):
    """What each channel reads at a and b, what lies between, and its slope."""

    headings = ("channel", "at a", "at b", "b − a", "slope")
    words = (0,)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.found: EdgeTable | None = None

    def show(self, found: EdgeTable) -> None:
        """Show other values."""
        self.beginResetModel()
        self.found = found
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.found.rows) if self.found is not None else 0

    def text(self, row: int, column: int) -> str:
        assert self.found is not None
        values: EdgeValues = self.found.rows[row]
        cells = (
            lambda: values.name,
            lambda: with_accuracy_once(values.at_a, values.accuracy_a, values.unit),
            lambda: with_accuracy_once(values.at_b, values.accuracy_b, values.unit),
            lambda: with_unit(values.difference, values.unit),
            lambda: with_unit(values.slope, values.slope_unit, 4),
        )
        return cells[column]()

    def colour(self, row: int, column: int) -> QColor | None:
        assert self.found is not None
        return self.theme.conductor(self.found.conductors[row]) if column < 4 else None


class EdgesBody(_ListBody):
    """Values of all shown channels at the edges of the interval."""

    def __init__(self, document: Document, panel: Panel, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(theme, parent)
        self.rows = EdgeRows(theme)
        self.table = _table(self.rows, "Values at the edges", fill=False)
        across = self.table.horizontalHeader()
        assert across is not None
        across.setSectionResizeMode(0, QHeaderView.ResizeMode.Interactive)
        self.table.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.table)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Leave out the last columns where there is no room for all: never half a number."""
        super().resizeEvent(event)
        self._leave_out()

    def _leave_out(self) -> None:
        across, upright = self.table.horizontalHeader(), self.table.verticalScrollBar()
        assert across is not None and upright is not None
        room = self.width() - upright.sizeHint().width()  # the table is laid out later than its frame
        name = max(self.table.sizeHintForColumn(0), across.sectionSizeHint(0) + 6)
        self.table.setColumnWidth(0, min(name, _WIDEST_NAME))
        for column in range(len(EdgeRows.headings)):
            self.table.setColumnHidden(column, False)
            asked = max(self.table.sizeHintForColumn(column), across.sectionSizeHint(column)) + 2
            room -= self.table.columnWidth(0) if column == 0 else asked
            self.table.setColumnHidden(column, column > 1 and room < 0)

    def show_picture(self, picture: Any) -> None:
        """Show other values."""
        if isinstance(picture, EdgeTable):
            self.picture, self.message, self.stale = picture, "", False
            self.rows.show(picture)
            self.table.setEnabled(True)
            self._leave_out()

    def show_message(self, text: str) -> None:
        """There is always something to show; the reason stands in the title."""
        self.message = text

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self.theme = self.rows.theme = theme
