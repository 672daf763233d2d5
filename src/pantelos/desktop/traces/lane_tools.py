"""What is done with lanes by command: fitting scales, hiding, drawing modes, pictures."""

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QObject, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QInputDialog

from pantelos.desktop.document import Document
from pantelos.desktop.drawing import painting
from pantelos.desktop.drawing.picture_out import CaptionedPicture
from pantelos.desktop.presenter.ledger import LaneRow, lane_axes, lane_extent, lane_unit, lanes_alike, row_at, shown
from pantelos.desktop.presenter.time_axis import axis_marks
from pantelos.desktop.theme import LIGHT
from pantelos.desktop.traces.lane_changes import collapse
from pantelos.desktop.traces.lane_painter import LanePainter
from pantelos.desktop.traces.page_stage import PageStage
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError, StudyError
from pantelos.notation import from_to, prefix_for
from pantelos.paper import hues
from pantelos.paper.axis import fitted
from pantelos.study import operations as op
from pantelos.study.operations.texts import look_from
from pantelos.study.shown import Drawing, Lane, Look
from pantelos.units import ONE

_DRAWINGS: tuple[Drawing, ...] = ("line", "steps", "points")
_MARGIN = 64  # of a picture, for names and numbers


class LaneTools(QObject):
    """Each method is a command on one lane (that under the pointer) or on all."""

    def __init__(self, page: PageStage, document: Document) -> None:
        super().__init__(page.widget)
        self._page, self._document = page, document

    def _lane(self) -> LaneRow | None:
        """Return the lane under the pointer, else that of the chosen channel, else the first."""
        chosen = self._page.selection.channels
        found = self._page.lanes.places.rows()
        of_chosen = next((row for row in found if set(row.lane.channels) & set(chosen)), None)
        return row_at(self._page.lanes.places.rows(), self._page.lanes.pointer_y) or of_chosen or (found[0] if found else None)

    # scales

    def fit(self, everything: bool) -> None:
        """Fit the scales: of all lanes to the whole record again, or to what is visible, keeping them there."""
        evaluation, study = self._document.evaluation, self._document.study
        if evaluation is None:
            return
        for at, lane in enumerate(study.lanes):
            study = op.fix_scale(study, at, None if everything else self._visible_extent(evaluation, lane))
        self._document.take(study, "fit scales")

    def fit_lane(self) -> None:
        """Fit the lane under the pointer to what is visible."""
        evaluation, row = self._document.evaluation, self._lane()
        if evaluation is not None and row is not None:
            extent = self._visible_extent(evaluation, row.lane)
            self._document.take(op.fix_scale(self._document.study, row.index, extent), "fit lane")

    def same_scale(self) -> None:
        """Give all lanes of the unit of the lane under the pointer one scale that shows what is visible in each."""
        evaluation, row, study = self._document.evaluation, self._lane(), self._document.study
        if evaluation is None or row is None:
            return
        alike = lanes_alike(evaluation, row.index)
        extents = [extent for at in alike if (extent := self._visible_extent(evaluation, study.lanes[at])) is not None]
        if extents:
            scale = min(low for low, _ in extents), max(high for _, high in extents)
            for at in alike:
                study = op.fix_scale(study, at, scale)
            self._document.take(study, "same scale")

    def _visible_extent(self, evaluation: Evaluation, lane: Lane) -> tuple[float, float] | None:
        view = self._document.view
        lows, highs = [], []
        axes = lane_axes(evaluation, lane)
        for name in axes[0].channels if axes else ():
            if evaluation.drawing.can_draw(name):
                ends = [shown(evaluation, name, end) for end in evaluation.drawing.envelope(name, view.start_s, view.stop_s, 400)]
                low, high = np.minimum(*ends), np.maximum(*ends)
                lows += low[np.isfinite(low)].tolist()
                highs += high[np.isfinite(high)].tolist()
        return fitted(min(lows), max(highs)) if lows else None

    # what is shown, and how

    def show(self, name: str) -> None:
        """Show a hidden channel in a lane of its own."""
        study = self._document.study
        self._document.take(op.show_alone(study, name, len(study.lanes)), f"show {name}")

    def hide(self) -> None:
        """Hide the chosen channels, or those of the lane under the pointer."""
        row, chosen = self._lane(), self._page.selection.channels
        names = chosen or (row.lane.channels if row is not None else ())
        if names:
            self._document.take(op.hide_channels(self._document.study, names), f"hide {', '.join(names)}")
            self._page.selection.forget()

    def collapse(self) -> None:
        """Collapse the lane under the pointer, or open it."""
        row = self._lane()
        if row is not None:
            collapse(self._document, row)

    def turn_drawing(self) -> None:
        """Draw the lane under the pointer as line, steps, or points, in turn."""
        row = self._lane()
        if row is not None:
            after = _DRAWINGS[(_DRAWINGS.index(row.lane.drawing) + 1) % len(_DRAWINGS)]
            self._document.take(op.change_lane(self._document.study, row.index, drawing=after), f"draw {after}")

    def remove_mean(self, name: str) -> None:
        """Draw a channel without its mean, or with it again."""
        look = self._document.study.look(name)
        study = op.set_look(self._document.study, name, replace(look, mean_removed=not look.mean_removed))
        self._document.take(study, f"mean of {name}")

    def remove_mean_chosen(self) -> None:
        """The same for the chosen channels, or the first of the lane under the pointer."""
        row = self._lane()
        for name in self._page.selection.channels or (row.lane.channels[:1] if row is not None else ()):
            self.remove_mean(name)

    def ask_look(self, name: str) -> None:
        """Ask for offset and scale a channel is drawn with."""
        look, evaluation = self._document.study.look(name), self._document.evaluation
        if evaluation is None or name not in evaluation.names.types:
            return
        unit = evaluation.names.unit(name)
        before = f"x {look.factor:g} + {look.offset / unit.factor:g} {unit.symbol}"
        text, agreed = QInputDialog.getText(
            self._page.widget, "Draw with offset and scale", f"{name}: factor and offset", text=before
        )
        if agreed:
            try:
                made = look_from(text, unit, look)
            except StudyError as error:
                self._page.failed.emit(error)
                return
            self._document.take(op.set_look(self._document.study, name, made), f"look of {name}")

    def draw_as_is(self, name: str) -> None:
        """Draw a channel as it is."""
        self._document.take(op.set_look(self._document.study, name, Look()), f"look of {name}")

    # pictures

    def picture(self, how: str, every: bool = False) -> None:
        """Hand over a picture of the lane under the pointer, or of all lanes."""
        row = self._lane()
        if row is None or self._document.evaluation is None:
            return
        rows = [other for other in self._page.lanes.places.rows() if every or other.index == row.index]
        try:
            self._page.figure_wanted.emit(self.figure(rows), how)
        except PantelosError as error:
            self._page.failed.emit(error)

    def figure(self, rows: list[LaneRow]) -> CaptionedPicture:
        """Return a picture of lanes with names, axes and a time axis."""
        document, evaluation = self._document, self._document.evaluation
        assert evaluation is not None
        height = sum(row.height for row in rows)
        width = int(self._page.lanes.places.columns().trace_width)
        painter_of_lanes = LanePainter(document, self._page.selection, LIGHT)

        def draw(painter: QPainter, rect: QRectF) -> None:
            top = rect.top() + 6
            area = QRectF(rect.left() + 2 * _MARGIN, top, rect.width() - 2 * _MARGIN - 14, 0)
            for row in rows:
                own = QRectF(area.left(), top + 2, area.width(), row.height - 6)
                painter_of_lanes.draw_lane(painter, row, evaluation, own)
                self._names(painter, row, evaluation, QRectF(rect.left() + 10, own.top(), _MARGIN, own.height()))
                painter.setPen(QColor(LIGHT.rule))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(own)
                top += row.height
            self._time_axis(painter, QRectF(area.left(), top, area.width(), 20))

        view = document.view
        names = ", ".join(name for row in rows for name in row.lane.channels)
        caption = f"{document.study.title} · {names} · {from_to(view.start_s, view.stop_s)}"
        return CaptionedPicture(caption, QSize(width + 2 * _MARGIN + 14, height + 30), draw)

    @staticmethod
    def _names(painter: QPainter, row: LaneRow, evaluation: Evaluation, rect: QRectF) -> None:
        painter.setFont(painting.tabular(10, bold=True))
        y = rect.top()
        for name in row.lane.channels:
            painter.setPen(LIGHT.conductor(hues.conductor(evaluation.study, name)))
            painter.drawText(QRectF(rect.left(), y, rect.width(), 16), Qt.AlignmentFlag.AlignLeft, name)
            y += 16
        low, high = lane_extent(evaluation, row.lane)
        _, symbol = prefix_for(max(abs(low), abs(high)), lane_unit(evaluation, row.lane) or ONE)
        painter.setFont(painting.tabular(8.5))
        painter.setPen(QColor(LIGHT.soft))
        painter.drawText(QRectF(rect.left(), y, rect.width(), 16), Qt.AlignmentFlag.AlignLeft, symbol)

    def _time_axis(self, painter: QPainter, rect: QRectF) -> None:
        view, study = self._document.view, self._document.study
        painter.setFont(painting.tabular(8))
        painter.setPen(QColor(LIGHT.soft))
        for mark in axis_marks(view, study, self._document.record, rect.width() / 95):
            x = rect.left() + view.to_x(mark.value, rect.width())
            painter.drawText(QRectF(x - 50, rect.top(), 100, 16), Qt.AlignmentFlag.AlignCenter, mark.text)
