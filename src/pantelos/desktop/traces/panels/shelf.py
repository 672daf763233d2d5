"""Where panels stand: side by side as many as are wide enough, in rows below each other, scrolled where the rows grow too low."""

import math
from collections.abc import Sequence

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QScrollArea, QSplitter, QVBoxLayout, QWidget

from pantelos.desktop.traces.panels.frame import PanelFrame

_LOWEST = 150  # pixels of a row


_USUAL_SHAPE = 1.6  # width over height of a panel that has the page to itself with others


def rows_of(needed: Sequence[int], width: int, height: int | None = None) -> list[int]:
    """Return how many panels stand in each row: as few rows as the widths they need allow, evenly filled.

    With a height, in so many rows that panels are about as wide as they should be for it.
    """
    if not needed:
        return []
    fewest = 1
    if height:
        fewest = max(min(round(math.sqrt(_USUAL_SHAPE * len(needed) * height / max(width, 1))), len(needed)), 1)
    for n_rows in range(fewest, len(needed) + 1):
        sizes = [len(needed) // n_rows + (k < len(needed) % n_rows) for k in range(n_rows)]
        starts = [sum(sizes[:k]) for k in range(n_rows)]
        if all(sum(needed[a : a + n]) + 6 * (n - 1) <= width for a, n in zip(starts, sizes, strict=True)):
            return sizes
    return [1] * len(needed)


class PanelShelf(QScrollArea):
    """Holds the frames of all panels; it never asks for more room than one row."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFrameShape(QScrollArea.Shape.NoFrame)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._frames: list[PanelFrame] = []
        self._alone: PanelFrame | None = None
        self._rows: list[QSplitter] = []
        self._sizes: list[int] = []
        self._page_filled = False
        self._column = QVBoxLayout()
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(4)
        inside = QWidget()
        inside.setLayout(self._column)
        self.setWidget(inside)

    def show_frames(self, frames: Sequence[PanelFrame]) -> None:
        """Hold other frames."""
        widths = [row.sizes() for row in self._rows]
        self._frames, self._alone = list(frames), None
        self._fill()
        if [len(sizes) for sizes in widths] == self._sizes:  # the user's widths stay
            for row, sizes in zip(self._rows, widths, strict=True):
                row.setSizes(sizes)

    def show_alone(self, frame: PanelFrame | None) -> None:
        """Give all the room to one frame; to all of them for None."""
        self._alone = frame
        for other in self._frames:
            other.setVisible(frame is None or other is frame)
        for row in self._rows:
            row.setVisible(frame is None or row.indexOf(frame) >= 0)
        self._set_heights()

    def set_page_filled(self, filled: bool) -> None:
        """Set the frames out over the page, or in as few rows as they need."""
        self._page_filled = filled
        self._fill()

    def _wanted(self) -> list[int]:
        """Return how many frames stand in each row."""
        viewport, window = self.viewport(), self.window()
        assert viewport is not None
        height = window.height() if self._page_filled and window is not None else None
        return rows_of([frame.minimumWidth() for frame in self._frames], viewport.width(), height)

    def _fill(self) -> None:
        """Set the frames into rows anew."""
        self._sizes = self._wanted()
        left = iter(self._frames)
        rows = [QSplitter(Qt.Orientation.Horizontal) for _ in self._sizes]
        for row, n in zip(rows, self._sizes, strict=True):
            row.setChildrenCollapsible(False)
            for _ in range(n):
                frame = next(left)
                row.addWidget(frame)
                frame.show()
            row.setSizes([1000] * n)
            self._column.addWidget(row, 1)
        for row in self._rows:
            self._column.removeWidget(row)
            row.hide()
            row.deleteLater()
        self._rows = rows
        self._set_heights()

    def _set_heights(self) -> None:
        lowest = 0 if self._alone is not None else _LOWEST
        for row in self._rows:
            row.setMinimumHeight(lowest)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Make other rows where the width asks for them."""
        super().resizeEvent(event)
        if self._wanted() != self._sizes:
            alone = self._alone
            self._fill()
            if alone is not None:
                self.show_alone(alone)

    def sizeHint(self) -> QSize:
        """Ask for one row and the beginning of the next."""
        return QSize(400, _LOWEST + 40 if len(self._rows) < 2 else int(1.6 * _LOWEST))

    def minimumSizeHint(self) -> QSize:
        """Need one row."""
        return QSize(200, _LOWEST)
