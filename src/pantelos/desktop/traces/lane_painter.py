"""Paints one lane of the ledger: its kept picture of traces, the names, the readings."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetrics, QImage, QPainter, QPen

from pantelos.desktop import painting
from pantelos.desktop.document import Document
from pantelos.desktop.presenter import hues
from pantelos.desktop.presenter.axis import value_ticks
from pantelos.desktop.presenter.ledger import Row, lane_extent, reading_text
from pantelos.desktop.theme import Theme
from pantelos.desktop.traces.lane_picture import draw_traces
from pantelos.desktop.traces.layout import LABELS, Columns
from pantelos.notation import MISSING, prefix_for
from pantelos.study.evaluation import Evaluation
from pantelos.units import ONE

READING_LINE = 17  # height of one reading


class LanePainter:
    """Keeps a picture per lane and draws it anew only when something it shows has changed."""

    def __init__(self, document: Document, theme: Theme) -> None:
        self._document, self._theme = document, theme
        self._pictures: dict[int, tuple[tuple[object, ...], QImage, tuple[str, ...]]] = {}
        self.readings: dict[str, tuple[float, ...]] = {}
        self.readings_stale = True

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self._theme = theme
        self._pictures.clear()

    def paint(self, painter: QPainter, row: Row, evaluation: Evaluation, columns: Columns, ratio: float) -> None:
        """Paint a lane across the whole width; `ratio` is the number of device pixels in a pixel."""
        rect = columns.trace(row.top + 3, row.height - 6)
        picture, waiting = self._picture(row, evaluation, rect, columns.width, ratio)
        painter.drawImage(QPointF(0, row.top), picture)
        self._paint_label(painter, row, evaluation)
        self._paint_readings(painter, row, evaluation, columns)
        if waiting:
            painter.setPen(QColor(self._theme.soft))
            painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, f"computing {', '.join(waiting)} …")
        painter.setPen(QPen(QColor(self._theme.rule), 1))
        painter.drawLine(QPointF(0, row.bottom - 0.5), QPointF(columns.width, row.bottom - 0.5))

    def _picture(
        self, row: Row, evaluation: Evaluation, rect: QRectF, width: int, ratio: float
    ) -> tuple[QImage, tuple[str, ...]]:
        """Return the kept picture of a lane, drawn anew when anything it shows has changed."""
        known = [name for name in row.lane.channels if name in evaluation.types]
        scale = lane_extent(evaluation, row.lane)
        hue = tuple(hues.conductor(evaluation.study, name) for name in known)
        state = (tuple(evaluation.identity(name) for name in known), tuple(evaluation.can_draw(name) for name in known),
                 scale, self._document.view, width, row.height, ratio, hue)  # fmt: skip
        kept = self._pictures.get(row.index)
        if kept is not None and kept[0] == state:
            return kept[1], kept[2]
        image = QImage(int(width * ratio), int(row.height * ratio), QImage.Format.Format_ARGB32_Premultiplied)
        image.setDevicePixelRatio(ratio)
        image.fill(Qt.GlobalColor.transparent)
        painter = QPainter(image)
        local = QRectF(rect.left(), 3, rect.width(), rect.height())
        marks, _ = value_ticks(*scale, evaluation.unit(known[0]) if known else ONE, max(row.height / 26, 2.4))
        painting.draw_value_axis(painter, local, marks, scale, QColor(self._theme.soft), QColor(self._theme.rule), LABELS)
        waiting = tuple(draw_traces(painter, local, evaluation, tuple(known), self._document.view, scale, self._theme))
        painter.end()
        self._pictures[row.index] = (state, image, waiting)
        return image, waiting

    def _paint_label(self, painter: QPainter, row: Row, evaluation: Evaluation) -> None:
        for rect, name in self.labels(row):
            painter.setFont(painting.tabular(10, bold=True))
            colour = self._theme.conductor(hues.conductor(evaluation.study, name))
            broken = name not in evaluation.types
            painter.setPen(QColor(self._theme.fault) if broken else colour)
            painter.drawText(rect, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, name + (" !" if broken else ""))
        known = [name for name in row.lane.channels if name in evaluation.types]
        if not known:
            return
        scale = lane_extent(evaluation, row.lane)
        _, symbol = prefix_for(max(abs(scale[0]), abs(scale[1])), evaluation.unit(known[0]))
        painter.setFont(painting.tabular(8.5))
        painter.setPen(QColor(self._theme.soft))
        last = self.labels(row)[-1][0]
        fixed = "  fixed" if row.lane.scale is not None else ""
        painter.drawText(QRectF(10, last.bottom() + 1, LABELS, 14), Qt.AlignmentFlag.AlignLeft, symbol + fixed)

    def labels(self, row: Row) -> list[tuple[QRectF, str]]:
        """Return the boxes of the names in a lane, wrapped within the label column."""
        metrics = QFontMetrics(painting.tabular(10, bold=True))
        found, x, y = [], 10.0, row.top + 5.0
        for name in row.lane.channels:
            width = metrics.horizontalAdvance(name) + 8
            if x > 10 and x + width > LABELS:
                x, y = 10.0, y + 16
            found.append((QRectF(x, y, min(width, LABELS + 20), 16), name))
            x += width
        return found

    def _paint_readings(self, painter: QPainter, row: Row, evaluation: Evaluation, columns: Columns) -> None:
        scale = lane_extent(evaluation, row.lane)
        full = max(abs(scale[0]), abs(scale[1]))
        painter.setFont(painting.tabular(9.5))
        room = max((row.height - 8) // READING_LINE, 1)
        names = row.lane.channels[:room]
        top = row.top + 5
        for name in names:
            values = self.readings.get(name)
            colour = self._theme.conductor(hues.conductor(evaluation.study, name))
            painter.setPen(QColor(self._theme.soft) if self.readings_stale else colour)
            for at in range(3):
                known = values is not None and name in evaluation.types
                text = reading_text(values[at], full, evaluation, name) if known and values else MISSING
                cell = columns.reading(at, top, READING_LINE)
                painter.drawText(cell, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
            top += READING_LINE
