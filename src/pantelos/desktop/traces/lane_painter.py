"""Paints one lane of the ledger: its kept picture of traces, the names, the readings."""

import numpy as np
from msgspec.structs import replace as with_changes
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetrics, QFontMetricsF, QImage, QPainter, QPen

from pantelos.desktop.document import Document
from pantelos.desktop.drawing import painting
from pantelos.desktop.presenter.ledger import LaneAxis, LaneRow, lane_axes, look_text
from pantelos.desktop.presenter.reading_columns import Cells, CellText, cell_text, narrower, reading_columns
from pantelos.desktop.selection import Selection
from pantelos.desktop.theme import Theme
from pantelos.desktop.traces.lane_columns import AXIS, LaneColumns
from pantelos.desktop.traces.lane_picture import draw_traces
from pantelos.engine.evaluation import Evaluation
from pantelos.notation import MISSING, prefix_for
from pantelos.paper import hues
from pantelos.paper.axis import value_ticks
from pantelos.units import ONE

READING_LINE = 17  # height of one reading


class LanePainter:
    """Keeps a picture per lane and draws it anew only when something it shows has changed."""

    def __init__(self, document: Document, selection: Selection, theme: Theme) -> None:
        self._document, self._selection, self._theme = document, selection, theme
        self._pictures: dict[int, tuple[tuple[object, ...], QImage, tuple[str, ...]]] = {}
        self.cells: Cells = {}
        self.cells_stale = True
        self.preview: tuple[int, tuple[float, float]] | None = None  # a lane and the scale it is being dragged to

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self._theme = theme
        self._pictures.clear()

    def scaled(self, row: LaneRow) -> LaneRow:
        """Return a row with the scale it has while it is dragged."""
        if self.preview is None or self.preview[0] != row.index:
            return row
        return LaneRow(with_changes(row.lane, scale=self.preview[1]), row.index, row.top, row.height)

    def paint(
        self, painter: QPainter, row: LaneRow, evaluation: Evaluation, columns: LaneColumns, ratio: float, across: tuple[int, int]
    ) -> None:
        """Paint a lane between two places across; `ratio` is the number of device pixels in a pixel."""
        row = self.scaled(row)
        rect = columns.trace(row.top + 3, row.height - 6)
        picture, waiting = self._picture(row, evaluation, rect, columns, ratio)
        painter.drawImage(QPointF(0, row.top), picture)
        if across[0] < columns.left:
            self._paint_label(painter, row, evaluation, columns)
        if across[1] > columns.readings_left:
            self._paint_readings(painter, row, evaluation, columns)
        if waiting:
            painter.setPen(QColor(self._theme.soft))
            painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, f"computing {', '.join(waiting)} …")
        painter.setPen(QPen(QColor(self._theme.rule), 1))
        painter.drawLine(QPointF(0, row.bottom - 0.5), QPointF(columns.width, row.bottom - 0.5))

    def _picture(
        self, row: LaneRow, evaluation: Evaluation, rect: QRectF, columns: LaneColumns, ratio: float
    ) -> tuple[QImage, tuple[str, ...]]:
        """Return the kept picture of a lane, drawn anew when anything it shows has changed."""
        known = [name for name in row.lane.channels if name in evaluation.names.types]
        axes = tuple(lane_axes(evaluation, row.lane))
        hue = tuple(hues.conductor(evaluation.study, name) for name in known)
        looks = tuple(evaluation.study.look(name) for name in known)
        state = (
            tuple(evaluation.names.identity(name) for name in known),
            tuple(evaluation.drawing.can_draw(name) for name in known),
            looks,
            axes,
            self._document.view,
            columns,
            row.height,
            row.lane.drawing,
            ratio,
            hue,
            tuple(evaluation.drawing.clip_levels(name) for name in known),
        )
        kept = self._pictures.get(row.index)
        if kept is not None and kept[0] == state:
            return kept[1], kept[2]
        width = columns.width
        image = QImage(int(width * ratio), int(row.height * ratio), QImage.Format.Format_ARGB32_Premultiplied)
        image.setDevicePixelRatio(ratio)
        image.fill(Qt.GlobalColor.transparent)
        painter = QPainter(image)
        local = QRectF(rect.left(), 3, rect.width(), rect.height())
        waiting = self.draw_lane(painter, row, evaluation, local)
        painter.end()
        self._pictures[row.index] = (state, image, waiting)
        return image, waiting

    def draw_lane(self, painter: QPainter, row: LaneRow, evaluation: Evaluation, rect: QRectF) -> tuple[str, ...]:
        """Draw axis and traces of a lane into a rectangle; return the channels that cannot be drawn yet."""
        axes = lane_axes(evaluation, row.lane)
        if axes and not row.lane.collapsed:
            marks, _ = value_ticks(*axes[0].scale, axes[0].unit, max(row.height / 26, 2.4))
            ink, rule = QColor(self._theme.soft), QColor(self._theme.rule)
            painting.draw_value_axis(painter, rect, marks, axes[0].scale, ink, rule, rect.left() - AXIS)
        waiting = draw_traces(painter, rect, evaluation, axes, self._document.view, self._theme, row.lane.drawing)
        if len(axes) > 1 and not row.lane.collapsed:
            self._draw_right_axis(painter, rect, axes[1])
        return tuple(waiting)

    def _draw_right_axis(self, painter: QPainter, rect: QRectF, axis: LaneAxis) -> None:
        """Write the numbers of a second axis inside the right edge, on a ground of their own: time stays where it is."""
        marks, symbol = value_ticks(*axis.scale, axis.unit, max(rect.height() / 26, 2.4))
        painter.setFont(painting.tabular(8))
        metrics = QFontMetricsF(painter.font())
        high = metrics.height()
        ground = QColor(self._theme.ground)
        ground.setAlpha(215)
        said = [(rect.top(), symbol)]
        for mark in marks:
            y = float(painting.to_y(np.array([mark.value]), rect, axis.scale)[0])
            if rect.top() + 1.5 * high <= y <= rect.bottom() - high / 2:
                said.append((y - high / 2, mark.text))
        for top, text in said:
            box = QRectF(rect.right() - metrics.horizontalAdvance(text) - 9, top, metrics.horizontalAdvance(text) + 8, high)
            painter.fillRect(box, ground)
            painter.setPen(QColor(self._theme.soft))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
            if text != symbol:
                painter.drawLine(QPointF(rect.right(), top + high / 2), QPointF(rect.right() - 4, top + high / 2))

    def _paint_label(self, painter: QPainter, row: LaneRow, evaluation: Evaluation, columns: LaneColumns) -> None:
        for rect, name in self.labels(row, columns):
            painter.setFont(painting.tabular(10, bold=True))
            colour = self._theme.conductor(hues.conductor(evaluation.study, name))
            if name in self._selection.channels:
                painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
                painter.setPen(QPen(QColor(self._theme.edge), 1))
                painter.setBrush(QColor(self._theme.wash))
                painter.drawRoundedRect(rect.adjusted(-4, 0, -2, 1), 3, 3)
            broken = name not in evaluation.names.types
            painter.setPen(QColor(self._theme.fault) if broken else colour)
            said = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, int(rect.width()))
            painter.drawText(rect, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, said + (" !" if broken else ""))
        axes = lane_axes(evaluation, row.lane)
        if not axes or row.lane.collapsed:
            return
        left, *right = [prefix_for(max(map(abs, axis.scale)), axis.unit)[1] for axis in axes]
        lines = [left + ("  fixed" if row.lane.scale is not None else "") + "".join(f"  right: {symbol}" for symbol in right)]
        lines += [text for name in row.lane.channels if name in evaluation.names.types and (text := look_text(evaluation, name))]
        painter.setFont(painting.tabular(8.5))
        painter.setPen(QColor(self._theme.soft))
        y = self.labels(row, columns)[-1][0].bottom() + 1
        for line in lines:
            if y + 12 < row.bottom:
                painter.drawText(QRectF(10, y, columns.labels - 6, 14), Qt.AlignmentFlag.AlignLeft, line)
            y += 13

    def labels(self, row: LaneRow, columns: LaneColumns) -> list[tuple[QRectF, str]]:
        """Return the boxes of the names in a lane, wrapped within the label column."""
        metrics = QFontMetrics(painting.tabular(10, bold=True))
        top = row.top + (2.0 if row.lane.collapsed else 5.0)
        found, x, y = [], 10.0, top
        for name in row.lane.channels:
            width = metrics.horizontalAdvance(name) + 8
            if x > 10 and x + width > columns.labels and not row.lane.collapsed:
                x, y = 10.0, y + 16
            found.append((QRectF(x, y, min(width, columns.labels - 10), 16), name))
            x += width
        return found

    def _paint_readings(self, painter: QPainter, row: LaneRow, evaluation: Evaluation, columns: LaneColumns) -> None:
        drawn = lane_axes(evaluation, row.lane)
        first, axes = drawn[0] if drawn else None, {name: axis for axis in drawn for name in axis.channels}
        wanted, accuracy = reading_columns(evaluation.study), evaluation.study.columns.accuracy
        room = max((row.height - 8) // READING_LINE, 1)
        top = row.top + (2 if row.lane.collapsed else 5)
        for name in row.lane.channels[:room]:
            colour = self._theme.conductor(hues.conductor(evaluation.study, name))
            for at, column in enumerate(wanted):
                cell, axis = (self.cells.get((name, column)), axes[name]) if name in axes else (None, None)
                full, shared = (max(map(abs, axis.scale)), axis.unit) if axis is not None else (1.0, ONE)
                text = cell_text(cell, full, shared, accuracy, said=not row.lane.collapsed and axis is first)
                box = columns.reading(at, top, READING_LINE)
                self._paint_number(painter, box, text, QColor(self._theme.soft) if self.cells_stale else colour)
            top += READING_LINE

    def _paint_number(self, painter: QPainter, box: QRectF, number: CellText, colour: QColor) -> None:
        """Write a number at the right of its cell, its accuracy and unit smaller behind it where there is room."""
        small = painting.tabular(8)
        wide = QFontMetricsF(small).horizontalAdvance(number.behind) if number.behind else 0.0
        painter.setFont(painting.tabular(9.5))
        advance = painter.fontMetrics().horizontalAdvance
        fits = bool(number.behind) and advance(number.figure) + wide + 2 <= box.width()
        text = number.figure if fits else number.alone
        while advance(text) > box.width() and (shorter := narrower(text)) is not None:
            text = shorter  # never into its neighbour
        align = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.setPen(QColor(self._theme.soft) if text == MISSING else colour)
        painter.drawText(box.adjusted(0, 0, -wide - 2 if fits else 0, 0), align, text)
        if fits:
            painter.setFont(small)
            painter.setPen(QColor(self._theme.soft))
            painter.drawText(box, align, number.behind)
