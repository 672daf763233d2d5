"""What is done to lanes with the mouse: a channel dropped, a lane collapsed, scales turned with the wheel."""

from PyQt6.QtCore import QMimeData, Qt
from PyQt6.QtGui import QDrag
from PyQt6.QtWidgets import QWidget

from pantelos.desktop.document import Document
from pantelos.desktop.presenter.ledger import LaneRow, lane_axes, lane_extent, row_at
from pantelos.desktop.traces.lane_places import LanePlaces
from pantelos.engine.evaluation import Evaluation
from pantelos.study import operations as op

_MOST_AXES = 2
CHANNEL_MIME = "application/x-pantelos-channel"


def carry_label(source: QWidget, channel: str) -> None:
    """Let a channel be dropped somewhere."""
    data = QMimeData()
    data.setData(CHANNEL_MIME, channel.encode())
    drag = QDrag(source)
    drag.setMimeData(data)
    drag.exec(Qt.DropAction.MoveAction)


def drop_channel(document: Document, places: LanePlaces, name: str, y: float) -> None:
    """Place a channel at a height: near a border in a lane of its own, else overlaid on the lane there.

    Another unit gets an axis at the right; a third one a lane of its own.
    """
    found, study = places.rows(), document.study
    row, evaluation = row_at(found, y), document.evaluation
    if row is None or evaluation is None:
        document.take(op.show_alone(study, name, len(study.lanes)), f"show {name}")
        return
    near_top, near_bottom = y - row.top < 0.2 * row.height, row.bottom - y < 0.2 * row.height
    if near_top or near_bottom or not _has_room(evaluation, name, row):
        document.take(op.show_alone(study, name, row.index + (1 if near_bottom else 0)), f"move {name}")
    else:
        document.take(op.show_with(study, name, row.lane.channels), f"overlay {name}")


def _has_room(evaluation: Evaluation, name: str, row: LaneRow) -> bool:
    """Return whether a lane has an axis for a channel, or room for one more: two are the most that can be read."""
    axes = lane_axes(evaluation, row.lane)
    if name not in evaluation.names.types or len(axes) < _MOST_AXES:
        return True
    return any(axis.unit.like(evaluation.names.unit(name)) for axis in axes)


def collapse(document: Document, row: LaneRow) -> None:
    """Collapse a lane to one line, or open it again."""
    step = "open lane" if row.lane.collapsed else "collapse lane"
    document.take(op.change_lane(document.study, row.index, collapsed=not row.lane.collapsed), step)


def scale_lane(document: Document, places: LanePlaces, row: LaneRow | None, y: float, factor: float) -> None:
    """Turn the scale of a lane around a height."""
    evaluation = document.evaluation
    if row is None or evaluation is None:
        return
    at, (low, high) = places.value_at(row, y), lane_extent(evaluation, row.lane)
    scale = at - (at - low) * factor, at + (high - at) * factor
    document.take(op.fix_scale(document.study, row.index, scale), "scale lane")


def scale_trace(document: Document, channel: str | None, factor: float) -> None:
    """Draw one channel larger or smaller."""
    if channel is not None:
        look = document.study.look(channel)
        changed = type(look)(float(f"{look.factor * factor:.4g}"), look.offset, look.mean_removed)
        document.take(op.set_look(document.study, channel, changed), f"scale {channel}")
