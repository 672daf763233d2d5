"""The ledger of records: a cell holds a value and a small scale of its column, with the limit as one line down the column."""

import numpy as np
from PyQt6.QtCore import QModelIndex, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QStyledItemDelegate, QStyleOptionViewItem, QTableView, QWidget

from pantelos.campaigns.conditions import Standing
from pantelos.campaigns.summary import Summary
from pantelos.desktop.campaign.ledger_model import FIRST_VALUE, RECORD, LedgerModel
from pantelos.desktop.theme import Theme
from pantelos.notation import number
from pantelos.units import Unit, unit

_SCALE = 44  # pixels of the scale at the right of a cell
_ROW, _DOT = 24, 2.5
_VALUE_WIDTH, _LEAST_WIDTH, _RECORD_WIDTH = 162, 138, 90
_REMARK_WIDTH = 210  # wanted; columns of values become narrower for it
_WITHIN, _SMALL = 46, 10  # room of the ±, and its letters
_FOOT_LINE = 17
_FOOT = ("n", "mean", "s", "min", "max", "worst ±")


class _ScaleDelegate(QStyledItemDelegate):
    """Draws the value, and where it lies among the others."""

    def __init__(self, model: LedgerModel, parent: QWidget) -> None:
        super().__init__(parent)
        self._model = model
        self.spans: dict[int, tuple[float, float]] = {}

    def _is_value(self, index: QModelIndex) -> bool:
        return 0 < index.column() <= len(self._model.names) and not self._model.shown[index.row()].sentence

    def initStyleOption(self, option: QStyleOptionViewItem | None, index: QModelIndex) -> None:
        """Leave the text of values out: it is drawn in two sizes."""
        super().initStyleOption(option, index)
        if option is not None and self._is_value(index):
            option.text = ""

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Draw a cell."""
        super().paint(painter, option, index)
        if painter is None or not self._is_value(index):
            return
        self._write(painter, option, index)
        span = self.spans.get(index.column())
        if span is None:
            return
        room = QRectF(option.rect.right() - _SCALE + 8, option.rect.top(), _SCALE - 14, option.rect.height())

        def x(value: float) -> float:
            return room.left() + room.width() * (value - span[0]) / (span[1] - span[0])

        theme, model = self._model.theme, self._model
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        limit = model.limits.get(model.names[index.column() - FIRST_VALUE])
        if limit is not None:
            painter.setPen(QPen(QColor(theme.ink), 1))
            painter.drawLine(int(x(limit.amount)), int(room.top()), int(x(limit.amount)), int(room.bottom()) + 1)
        found = model.value_at(index.row(), index.column())
        if found is not None:
            value, expanded = found
            stands = model.standing_at(index.row(), index.column())
            ink = QColor({Standing.OUTSIDE: theme.fault, Standing.UNDECIDED: theme.caution}.get(stands, theme.ink))  # type: ignore[arg-type]
            middle = room.center().y()
            painter.setPen(QPen(QColor(theme.soft), 1))
            painter.drawLine(int(x(value - expanded)), int(middle), int(x(value + expanded)), int(middle))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(ink)
            painter.drawEllipse(QRectF(x(value) - _DOT, middle - _DOT, 2 * _DOT, 2 * _DOT))
        painter.restore()

    def _write(self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Write the value, and its ± small behind it."""
        value, _, within = str(index.data() or "").partition(" ± ")
        middle = option.rect.right() - _SCALE - _WITHIN
        flags = Qt.AlignmentFlag.AlignVCenter
        painter.save()
        painter.setPen(index.data(Qt.ItemDataRole.ForegroundRole))
        whole = QRectF(option.rect.left(), option.rect.top(), middle - option.rect.left(), option.rect.height())
        painter.drawText(whole, flags | Qt.AlignmentFlag.AlignRight, value)
        font = painter.font()
        font.setPixelSize(_SMALL)
        painter.setFont(font)
        painter.setPen(QColor(self._model.theme.soft))
        beside = QRectF(middle + 4, option.rect.top(), _WITHIN, option.rect.height())
        painter.drawText(beside, flags | Qt.AlignmentFlag.AlignLeft, f"±{within}" if within else "")
        painter.restore()


class Ledger(QTableView):
    """The table; below it, in line with its columns, what all rows say together."""

    def __init__(self, model: LedgerModel, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._model = model
        self.setModel(model)
        self._delegate = _ScaleDelegate(model, self)
        self.setItemDelegate(self._delegate)
        self.setAccessibleName("Records of the campaign")
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setAlternatingRowColors(True)
        self.setShowGrid(False)
        self.setWordWrap(False)
        rows, columns = self.verticalHeader(), self.horizontalHeader()
        assert rows is not None and columns is not None
        rows.hide()
        rows.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        rows.setDefaultSectionSize(_ROW)
        columns.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        columns.setStretchLastSection(True)
        columns.setSectionsClickable(True)

    @property
    def units(self) -> list[Unit]:
        """The units of the columns of values."""
        return self._model.units

    def arrange(self) -> None:
        """Set widths and scales to what is shown."""
        self._set_widths()
        spans: dict[int, tuple[float, float]] = {}
        for at, name in enumerate(self._model.names, start=FIRST_VALUE):
            values = [found for row in range(len(self._model.shown)) if (found := self._model.value_at(row, at)) is not None]
            if values:
                x = np.array(values)
                ends = [float((x[:, 0] - x[:, 1]).min()), float((x[:, 0] + x[:, 1]).max())]
                limit = self._model.limits.get(name)
                ends = [min(ends[0], limit.amount), max(ends[1], limit.amount)] if limit is not None else ends
                room = 0.05 * (ends[1] - ends[0]) or abs(ends[0]) or 1.0
                spans[at] = ends[0] - room, ends[1] + room
        self._delegate.spans = spans
        self.clearSpans()
        for row, known in enumerate(self._model.shown):
            if known.sentence and self._model.names:  # why there is no row stands where the row would
                self.setSpan(row, FIRST_VALUE, 1, len(self._model.names) + 1)

    def _set_widths(self) -> None:
        self.setColumnWidth(RECORD, _RECORD_WIDTH)
        n = len(self._model.names)
        free = (self.width() - _RECORD_WIDTH - _REMARK_WIDTH) // max(n, 1)
        for at in range(FIRST_VALUE, FIRST_VALUE + n):
            self.setColumnWidth(at, min(max(free, _LEAST_WIDTH), _VALUE_WIDTH))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Leave room for the remarks."""
        super().resizeEvent(event)
        self._set_widths()


class Foot(QWidget):
    """n, mean, scatter, extremes with their records and the worst ±, under the columns of the ledger."""

    def __init__(self, ledger: Ledger, theme: Theme) -> None:
        super().__init__()
        self._ledger, self.theme = ledger, theme
        self.found: list[Summary] = []
        self.setFixedHeight(_FOOT_LINE * len(_FOOT) + 10)
        self.setAccessibleName("All records together")
        header, bar = ledger.horizontalHeader(), ledger.horizontalScrollBar()
        assert header is not None and bar is not None
        header.sectionResized.connect(lambda *_: self.update())
        bar.valueChanged.connect(lambda *_: self.update())

    def show_summaries(self, found: list[Summary]) -> None:
        """Show what all rows say together."""
        self.found = found
        self.setAccessibleDescription("; ".join(f"{of.name}: mean {number(of.mean, 5)} {of.unit}, n {of.n}" for of in found))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw six lines."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.panel))
        font = painter.font()
        font.setPixelSize(11)
        painter.setFont(font)
        left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        for line, title in enumerate(_FOOT):
            top = 5 + line * _FOOT_LINE
            painter.setPen(QColor(self.theme.soft))
            painter.drawText(QRectF(8, top, _RECORD_WIDTH - 10, _FOOT_LINE), left, title)
            for at, of in enumerate(self.found, start=FIRST_VALUE):
                x, width = self._ledger.columnViewportPosition(at), self._ledger.columnWidth(at)
                values = self._texts(of, at)
                painter.setPen(QColor(self.theme.ink))
                painter.drawText(QRectF(x, top, width - _SCALE - _WITHIN, _FOOT_LINE), right, values[line])
                where = {3: of.low_in, 4: of.high_in}.get(line, "")
                painter.setPen(QColor(self.theme.soft))
                painter.drawText(QRectF(x + width - _SCALE - _WITHIN + 4, top, _SCALE + 30, _FOOT_LINE), left, where[-12:])

    def _texts(self, of: Summary, column: int) -> tuple[str, ...]:
        """Return what is said of a column, in its unit."""
        factor = unit(of.unit or "1").factor / self._ledger.units[column - FIRST_VALUE].factor
        digits = ((of.mean, 5), (of.s, 3), (of.low, 5), (of.high, 5), (of.worst, 2))
        return (str(of.n), *(number(value * factor, n) for value, n in digits))
