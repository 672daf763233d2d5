"""The columns of a file: name, unit, role, scale, the beginning as a waveform, and the first rows."""

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QAbstractItemView, QComboBox, QTableWidget, QTableWidgetItem, QWidget

from pantelos.desktop.drawing import painting
from pantelos.desktop.presenter.import_plan import ImportDraft, sketch_of
from pantelos.formats.dialect import ColumnRole
from pantelos.paper.hues import Weight

NAME, UNIT, ROLE, SCALE, SKETCH = range(5)
_HEAD = ("name", "unit", "role", "scale", "begins")
_SHOWN_ROWS = 12
_MOST_COLUMNS = 64  # a file with more is shown as far as that; all of it is imported
_SKETCH_HEIGHT = 44
_NARROWEST, _WIDEST = 100, 220


class ColumnGrid(QTableWidget):
    """Shows a draft; emits what was typed or chosen."""

    typed = pyqtSignal(int, list, str)  # row of the head, columns, text
    role_chosen = pyqtSignal(list, object)  # columns, role

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("Columns and first rows")
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.cellChanged.connect(self._cell_changed)
        self.setToolTip("A unit or scale typed with several columns selected goes into all of them; so does a role")

    def show_draft(self, given: ImportDraft) -> None:
        """Show the columns of a draft."""
        dialect, rows = given.dialect, given.preview.rows[:_SHOWN_ROWS]
        columns = dialect.columns[:_MOST_COLUMNS]
        self.blockSignals(True)
        self.clear()
        self.setColumnCount(len(columns))
        self.setRowCount(len(_HEAD) + len(rows))
        self.setHorizontalHeaderLabels([str(at + 1) for at in range(len(columns))])
        self.setVerticalHeaderLabels([*_HEAD, *(str(dialect.first_line + at) for at in range(len(rows)))])
        self.setRowHeight(SKETCH, _SKETCH_HEIGHT)
        for at, column in enumerate(columns):
            for line, text in ((NAME, column.name), (UNIT, column.unit), (SCALE, f"{column.scale:g}")):
                self.setItem(line, at, self._head_item(text))
            self.setCellWidget(ROLE, at, self._role_box(at, column.role))
            self.setCellWidget(SKETCH, at, Sketch(given, at))
            for line, row in enumerate(rows):
                item = QTableWidgetItem(row[at] if at < len(row) else "")
                item.setFlags(Qt.ItemFlag.ItemIsEnabled)
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.setItem(len(_HEAD) + line, at, item)
        self.resizeColumnsToContents()
        for at in range(len(columns)):
            self.setColumnWidth(at, min(max(self.columnWidth(at), _NARROWEST), _WIDEST))
        self.blockSignals(False)

    @staticmethod
    def _head_item(text: str) -> QTableWidgetItem:
        item = QTableWidgetItem(text)
        font = item.font()
        font.setBold(True)
        item.setFont(font)
        return item

    def _role_box(self, at: int, role: ColumnRole) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(f"Role of column {at + 1}")
        for each in ColumnRole:
            box.addItem(str(each), each)
        box.setCurrentIndex(list(ColumnRole).index(role))
        box.activated.connect(lambda index: self.role_chosen.emit(self._columns_meant(at), list(ColumnRole)[index]))
        return box

    def _cell_changed(self, row: int, at: int) -> None:
        item = self.item(row, at)
        if item is not None and row in (NAME, UNIT, SCALE):
            self.typed.emit(row, [at] if row == NAME else self._columns_meant(at), item.text().strip())

    def _columns_meant(self, at: int) -> list[int]:
        """Return the columns an edit goes to: all that are selected, where the edited one is among them."""
        chosen = sorted({index.column() for index in self.selectedIndexes()})
        return chosen if at in chosen else [at]


class Sketch(QWidget):
    """The beginning of one column as a waveform; empty for one that is no channel."""

    def __init__(self, given: ImportDraft, at: int, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._values = sketch_of(given, at)
        self.setToolTip(f"The first {len(self._values)} values" if len(self._values) else "")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint the waveform."""
        if not len(self._values):
            return
        painter = QPainter(self)
        rect = QRectF(self.rect()).adjusted(7, 5, -7, -5)
        found = painting.waveform(self._values, rect, zero=False)
        if found is not None:
            painting.draw_samples(painter, *found, QColor(self.palette().windowText().color()), Weight.THIN, points=False)
