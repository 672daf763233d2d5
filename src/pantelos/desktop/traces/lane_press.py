"""Which gesture a press in the lanes begins, and the cursor that says so beforehand."""

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QMouseEvent

from pantelos.desktop.presenter.ledger import LaneRow, row_at
from pantelos.desktop.traces import lane_gestures as gestures
from pantelos.desktop.traces.lane_overlay import level_near
from pantelos.desktop.traces.lane_painter import READING_LINE
from pantelos.desktop.traces.lane_stage import LaneStage

BORDER = 3  # pixels beside the lower border of a lane


def gesture_at(lanes: LaneStage, event: QMouseEvent) -> gestures.Gesture | None:
    """Return what a press at this place begins."""
    place, found = event.position(), lanes.places.rows()
    row = row_at(found, place.y())
    if place.x() < lanes.places.columns().left:
        border = next((r for r in found if abs(place.y() - r.bottom) <= BORDER), None)
        if border is not None:
            return gestures.ResizeLane(lanes, place, border)
        return _on_names(lanes, event, row) if row is not None else None
    if place.x() > lanes.places.columns().readings_left:
        return None
    return _on_traces(lanes, event, row)


def _on_names(lanes: LaneStage, event: QMouseEvent, row: LaneRow) -> gestures.Gesture | None:
    place = event.position()
    if event.button() is not Qt.MouseButton.LeftButton:
        return None
    if place.x() >= lanes.places.columns().labels and not row.lane.collapsed:
        return gestures.MoveZero(lanes, place, row)
    name = next((name for rect, name in lanes.painter.labels(row, lanes.places.columns()) if rect.contains(place)), None)
    if name is None:
        return gestures.MoveLane(lanes, place, row)
    return gestures.HoldLabel(lanes, place, name, bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier))


def _on_traces(lanes: LaneStage, event: QMouseEvent, row: LaneRow | None) -> gestures.Gesture | None:
    place, keys = event.position(), event.modifiers()
    if event.button() is Qt.MouseButton.MiddleButton or keys & Qt.KeyboardModifier.ControlModifier:
        return gestures.Pan(lanes, place)
    if event.button() is not Qt.MouseButton.LeftButton:
        return None
    if keys & Qt.KeyboardModifier.AltModifier and row is not None:
        channel = lanes.places.channel_near(place.x(), place.y())
        return gestures.ShiftTrace(lanes, place, row, channel) if channel is not None else None
    if keys & Qt.KeyboardModifier.ShiftModifier:
        return gestures.NewInterval(lanes, place)
    edge = lanes.places.edge_near(lanes.edges, place.x())
    if edge is not None:
        return gestures.DragEdge(lanes, place, edge)
    search, evaluation = lanes.search(), lanes.document.evaluation
    if row is not None and search is not None and evaluation is not None:
        which = level_near(lanes, row, evaluation, search, place.y())
        if which is not None:
            return gestures.DragLevel(lanes, place, row, search, which)
    return gestures.ZoomRectangle(lanes, place, row)


def cursor_at(lanes: LaneStage, place: QPointF) -> Qt.CursorShape:
    """Return the cursor that says what a press would take hold of."""
    found = lanes.places.rows()
    row, columns = row_at(found, place.y()), lanes.places.columns()
    if place.x() < columns.left and any(abs(place.y() - r.bottom) <= BORDER for r in found):
        return Qt.CursorShape.SizeVerCursor
    if place.x() < columns.labels:
        return Qt.CursorShape.OpenHandCursor
    if place.x() < columns.left:
        return Qt.CursorShape.SizeVerCursor
    if place.x() > columns.readings_left:
        return Qt.CursorShape.PointingHandCursor
    search, evaluation = lanes.search(), lanes.document.evaluation
    if lanes.places.edge_near(lanes.edges, place.x()) is not None:
        return Qt.CursorShape.SizeHorCursor
    if (
        row is not None
        and search is not None
        and evaluation is not None
        and level_near(lanes, row, evaluation, search, place.y())
    ):
        return Qt.CursorShape.SizeVerCursor
    return Qt.CursorShape.ArrowCursor


def reading_at(lanes: LaneStage, place: QPointF) -> tuple[str, int] | None:
    """Return the channel and the column of the reading at a place, or None."""
    row, column = row_at(lanes.places.rows(), place.y()), lanes.places.columns().column_at(place.x())
    if row is None or column is None:
        return None
    line = min(int((place.y() - row.top - 5) // READING_LINE), len(row.lane.channels) - 1)
    return row.lane.channels[max(line, 0)], column
