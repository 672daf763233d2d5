"""The row of panels below the ledger, each bound to a channel and an interval."""

from collections.abc import Callable

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMenu, QSplitter, QToolButton, QVBoxLayout, QWidget

from pantelos.desktop.document import Document
from pantelos.desktop.presenter.panels import PANEL_TITLES, Picture, SpectrumPicture, panel_picture, panel_subjects
from pantelos.desktop.runner import Runner
from pantelos.desktop.theme import Theme
from pantelos.desktop.traces.panel_painting import draw_panel, spectrum_area
from pantelos.errors import PantelosError
from pantelos.progress import Progress
from pantelos.signal.spectrum import SpectralWindow
from pantelos.study import operations as op
from pantelos.study.model import Panel, PanelKind


class PanelCanvas(QWidget):
    """Draws one panel; a spectrum is zoomed like the traces: wheel, rectangle, double click for all."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.picture: Picture | None = None
        self.message = ""
        self.stale = True
        self.span: tuple[float, float] | None = None
        self._drag: tuple[QPointF, QPointF] | None = None
        self.setMinimumHeight(90)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint the picture, or why there is none."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.ground))
        area = QRectF(self.rect())
        if self.message:
            painter.setPen(QColor(self.theme.soft))
            painter.drawText(area.adjusted(16, 8, -16, -8), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.message)
            return
        if self.picture is not None:
            painter.setOpacity(0.45 if self.stale else 1.0)
            draw_panel(painter, area, self.picture, self.theme, self.span)
        if self._drag is not None:
            painter.setPen(QPen(QColor(self.theme.edge), 1, Qt.PenStyle.DashLine))
            painter.drawRect(QRectF(*self._drag).normalized())

    def _span(self) -> tuple[float, float]:
        assert isinstance(self.picture, SpectrumPicture)
        return self.span or (0.0, self.picture.top_hz)

    def _frequency(self, x: float) -> float:
        area, (low, high) = spectrum_area(QRectF(self.rect())), self._span()
        return low + (x - area.left()) / area.width() * (high - low)

    def _show(self, low: float, high: float) -> None:
        assert isinstance(self.picture, SpectrumPicture)
        top = float(self.picture.frequencies_hz[-1])
        low, high = max(low, 0.0), min(high, top)
        if high - low > 4 * float(self.picture.frequencies_hz[1]):
            self.span = (low, high)
            self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Zoom in frequency at the pointer."""
        if event is not None and isinstance(self.picture, SpectrumPicture):
            at, factor = self._frequency(event.position().x()), 1.0015 ** -event.angleDelta().y()
            low, high = self._span()
            self._show(at - (at - low) * factor, at + (high - at) * factor)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Begin a rectangle."""
        if event is not None and isinstance(self.picture, SpectrumPicture):
            self._drag = (event.position(), event.position())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Draw the rectangle."""
        if event is not None and self._drag is not None:
            self._drag = (self._drag[0], event.position())
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Show what the rectangle holds."""
        drag, self._drag = self._drag, None
        if drag is not None and abs(drag[1].x() - drag[0].x()) > 5:
            self._show(*sorted((self._frequency(drag[0].x()), self._frequency(drag[1].x()))))
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Show the range shown at first."""
        self.span = None
        self._drag = None
        self.update()


class PanelFrame(QWidget):
    """A panel with its title: what it shows, of which channel, over which interval."""

    changed = pyqtSignal(int, object)

    def __init__(self, index: int, panel: Panel, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.panel, self._index, self._document = panel, index, document
        self._title = QLabel(f"<b>{PANEL_TITLES[panel.kind]}</b>")
        self._caption = QLabel()
        self._caption.setProperty("soft", True)
        self._caption.setMinimumWidth(20)
        choose = QToolButton(
            text="▾", toolTip="Choose channel, interval and window of this panel", accessibleName="Panel settings"
        )
        choose.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self._menu = QMenu(choose)
        self._menu.aboutToShow.connect(self._fill_menu)
        choose.setMenu(self._menu)
        head = QWidget(objectName="side")
        row = QHBoxLayout(head)
        row.setContentsMargins(10, 1, 4, 1)
        row.addWidget(self._title)
        row.addWidget(self._caption, 1)
        row.addWidget(choose)
        self.canvas = PanelCanvas(theme)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(head)
        column.addWidget(self.canvas, 1)
        self.setMinimumWidth(180)

    def show_picture(self, picture: Picture) -> None:
        """Show what was computed."""
        self.canvas.picture, self.canvas.message, self.canvas.stale = picture, "", False
        self._caption.setText(picture.caption)
        self._caption.setToolTip(picture.caption)
        self.canvas.update()

    def show_message(self, text: str) -> None:
        """Say why there is nothing to show."""
        self.canvas.message = text
        self._caption.setText(", ".join(self.panel.channels))
        self.canvas.update()

    def grey(self) -> None:
        """Mark what is shown as no longer current."""
        self.canvas.stale = True
        self.canvas.update()

    def _fill_menu(self) -> None:
        """Offer channels, intervals, windows, and to take the panel away."""
        self._menu.clear()
        evaluation = self._document.evaluation
        if evaluation is None:
            return
        for name in panel_subjects(evaluation, self.panel.kind):
            self._offer(self._menu, name, name in self.panel.channels, replace(self.panel, channels=(name,)))
        self._menu.addSeparator()
        self._offer(self._menu, "active interval", self.panel.interval is None, replace(self.panel, interval=None))
        for interval in self._document.study.intervals:
            chosen = self.panel.interval == interval.name
            self._offer(self._menu, f"pin to {interval.name}", chosen, replace(self.panel, interval=interval.name))
        if self.panel.kind == "spectrum":
            self._menu.addSeparator()
            for window in SpectralWindow:
                self._offer(self._menu, f"{window} window", self.panel.window == window, replace(self.panel, window=str(window)))
        self._menu.addSeparator()
        self._offer(self._menu, "Remove panel", None, None)

    def _offer(self, menu: QMenu, text: str, chosen: bool | None, panel: Panel | None) -> None:
        action = menu.addAction(text)
        assert action is not None
        if chosen is not None:
            action.setCheckable(True)
            action.setChecked(chosen)
        action.triggered.connect(lambda: self.changed.emit(self._index, panel))


class PanelRow(QWidget):
    """All panels side by side, resizable, and the button that adds one."""

    def __init__(self, document: Document, runner: Runner, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._runner, self._theme = document, runner, theme
        self._splitter = QSplitter(Qt.Orientation.Horizontal)
        self._splitter.setChildrenCollapsible(False)
        self.frames: list[PanelFrame] = []
        add = QToolButton(text="+", toolTip="Add a panel", accessibleName="Add a panel")
        add.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(add)
        for kind, title in PANEL_TITLES.items():
            action = menu.addAction(title)
            assert action is not None
            action.triggered.connect(self._adder(kind))
        add.setMenu(menu)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self._splitter, 1)
        row.addWidget(add, 0, Qt.AlignmentFlag.AlignTop)

    def _adder(self, kind: PanelKind) -> Callable[[], None]:
        return lambda: self.add(kind)

    def add(self, kind: PanelKind) -> None:
        """Add a panel of that kind, on the first channel it can show."""
        evaluation = self._document.evaluation
        if evaluation is not None:
            subjects = panel_subjects(evaluation, kind)
            panel = Panel(kind, tuple(subjects[:1]))
            self._document.take(op.add_panel(self._document.study, panel), f"add {kind}")

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self._theme = theme
        for frame in self.frames:
            frame.canvas.theme = theme
            frame.canvas.update()

    def grey(self) -> None:
        """Show the panels of the study, marked as no longer current."""
        wanted = self._document.study.panels
        if [frame.panel for frame in self.frames] != list(wanted):
            self._rebuild(wanted)
        for frame in self.frames:
            frame.grey()

    def refresh(self) -> None:
        """Have the panels computed."""
        evaluation = self._document.evaluation
        if evaluation is None:
            return
        panels = [frame.panel for frame in self.frames]

        def job(progress: Progress) -> list[Picture | str]:
            found: list[Picture | str] = []
            for at, panel in enumerate(panels):
                try:
                    found.append(panel_picture(evaluation, panel, progress.part(at / len(panels), (at + 1) / len(panels))))
                except PantelosError as error:
                    found.append(str(error))
            return found

        if panels:
            self._runner.run("panels", job, self._deliver)

    def _rebuild(self, wanted: tuple[Panel, ...]) -> None:
        sizes = self._splitter.sizes()
        for frame in self.frames:
            frame.setParent(None)
            frame.deleteLater()
        self.frames = []
        for index, panel in enumerate(wanted):
            frame = PanelFrame(index, panel, self._document, self._theme)
            frame.changed.connect(self._change)
            self._splitter.addWidget(frame)
            self.frames.append(frame)
        if len(sizes) == len(self.frames):
            self._splitter.setSizes(sizes)

    def _change(self, index: int, panel: Panel | None) -> None:
        self._document.take(op.change_panel(self._document.study, index, panel), "change panel")

    def _deliver(self, pictures: list[Picture | str]) -> None:
        for frame, picture in zip(self.frames, pictures, strict=False):
            if isinstance(picture, str):
                frame.show_message(picture)
            else:
                frame.show_picture(picture)
