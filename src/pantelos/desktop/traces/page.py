"""The Traces page put together: derive line, ruler, lanes, panels, strip."""

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QEvent, QObject, QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QMenu, QScrollArea, QSplitter, QVBoxLayout, QWidget

from pantelos.desktop.document import Document
from pantelos.desktop.presenter.axis import fitted
from pantelos.desktop.presenter.ledger import READING_COLUMNS, reading_job
from pantelos.desktop.presenter.view import TimeView
from pantelos.desktop.runner import Runner
from pantelos.desktop.theme import Theme
from pantelos.desktop.traces.derive_line import DeriveLine
from pantelos.desktop.traces.lanes import Lanes
from pantelos.desktop.traces.panels import PanelRow
from pantelos.desktop.traces.ruler import Ruler
from pantelos.desktop.traces.strip import Strip
from pantelos.errors import PantelosError
from pantelos.formula.compile import Kind
from pantelos.progress import Progress
from pantelos.study import operations as op
from pantelos.study.model import Interval, Study


class TracesPage(QWidget):
    """Looks at the document and hands gestures to its operations."""

    failed = pyqtSignal(PantelosError)
    explain = pyqtSignal(str, str)  # channel, reading
    drawn = pyqtSignal()  # the traces are there, the numbers beside them on their way

    def __init__(self, document: Document, runner: Runner, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._runner = document, runner
        self.derive = DeriveLine(document, runner, theme)
        self.ruler = Ruler(document, theme)
        self.lanes = Lanes(document, theme)
        self.panels = PanelRow(document, runner, theme)
        self.strip = Strip(document, theme)
        self._scroll = QScrollArea()
        self._scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        self._scroll.setWidgetResizable(True)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOn)
        self._scroll.setWidget(self.lanes)
        self._scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._scroll.viewport().installEventFilter(self)  # type: ignore[union-attr]
        ledger = QWidget()
        column = QVBoxLayout(ledger)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.ruler)
        column.addWidget(self._scroll, 1)
        self._split = QSplitter(Qt.Orientation.Vertical)
        self._split.addWidget(ledger)
        self._split.addWidget(self.panels)
        self._split.setSizes([460, 190])
        self._split.setStretchFactor(0, 1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(self.derive)
        whole.addWidget(self._split, 1)
        whole.addWidget(self.strip)
        self._connect()

    def _connect(self) -> None:
        self._document.changed.connect(self.refresh)
        self._document.view_changed.connect(self._show_view)
        for source in (self.ruler, self.lanes):
            source.interval_drawn.connect(self._new_interval)
            source.edges_dragged.connect(self._drag_edges)
        self.lanes.pointed.connect(self._point)
        self.lanes.menu_wanted.connect(self._channel_menu)
        self.lanes.reading_clicked.connect(lambda name, at: self.explain.emit(name, READING_COLUMNS[at]))
        self.strip.activated.connect(self.activate)
        self.strip.zoom_to.connect(self.zoom_to)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Let the lanes fill the visible part."""
        if event is not None and event.type() is QEvent.Type.Resize:
            viewport = self._scroll.viewport()
            assert viewport is not None
            self.lanes.fit_height(viewport.height())
            self.ruler.beside = self._scroll.width() - viewport.width()
        return False

    def set_theme(self, theme: Theme) -> None:
        """Use other colours everywhere on the page."""
        for part in (self.derive, self.ruler, self.lanes, self.panels, self.strip):
            part.set_theme(theme)

    # showing

    def refresh(self) -> None:
        """Show the present study; start what has to be computed for it."""
        interval = self._document.study.active_interval
        self._set_edges((interval.start_s, interval.stop_s) if interval is not None else None)
        viewport = self._scroll.viewport()
        assert viewport is not None
        self.lanes.fit_height(viewport.height())
        self.strip.fit()
        self.panels.setVisible(bool(self._document.study.panels))
        self._compute()

    def _set_edges(self, edges: tuple[float, float] | None) -> None:
        self.ruler.edges = self.lanes.edges = edges
        self.ruler.update()
        self.lanes.update()

    def _point(self, t_s: float) -> None:
        self.ruler.pointer_s = t_s
        self.ruler.update()

    def _show_view(self) -> None:
        for part in (self.ruler, self.lanes, self.strip):
            part.update()

    def _compute(self) -> None:
        """Have pyramids, readings and panels computed off the interface thread."""
        evaluation = self._document.evaluation
        if evaluation is None:
            return
        shown = tuple(name for lane in self._document.study.lanes for name in lane.channels
                      if name in evaluation.types and evaluation.kind(name) is not Kind.SCALAR)  # fmt: skip

        def pyramids(progress: Progress) -> None:
            if evaluation.study.reference is not None:
                evaluation.cycles(evaluation.study.reference, progress.part(0.0, 0.2))
            for at, name in enumerate(shown):
                evaluation.prepare_drawing(name, progress.part(0.2 + 0.8 * at / len(shown), 0.2 + 0.8 * (at + 1) / len(shown)))

        self.lanes.painter.readings_stale = True
        self.panels.grey()
        self._runner.run("pyramids", pyramids, lambda nothing: self._pyramids_ready(shown))

    def _pyramids_ready(self, shown: tuple[str, ...]) -> None:
        """Draw at once; numbers come after the picture."""
        evaluation = self._document.evaluation
        if evaluation is not None:
            self._runner.run("readings", reading_job(evaluation, shown), self._show_readings)
            self.panels.refresh()
        self.drawn.emit()
        if evaluation is not None and self._document.study.reference is not None:
            self.ruler.n_cycles = evaluation.n_cycles(None)
            self.ruler.update()
        self.lanes.update()
        self.strip.update()

    def _show_readings(self, readings: dict[str, tuple[float, ...]]) -> None:
        self.lanes.painter.readings = readings
        self.lanes.painter.readings_stale = False
        self.lanes.update()

    # intervals

    def _new_interval(self, start_s: float, stop_s: float) -> None:
        name = op.new_interval_name(self._document.study)
        self._take_interval(Interval(name, start_s, stop_s), new=True)

    def _drag_edges(self, start_s: float, stop_s: float, released: bool) -> None:
        self._set_edges((start_s, stop_s))
        evaluation, interval = self._document.evaluation, self._document.study.active_interval
        reference = self._document.study.reference
        if evaluation is not None and reference is not None and evaluation.has_cycles(reference):
            cycles = evaluation.cycles(reference)
            self.ruler.n_cycles = (stop_s - start_s) * cycles.frequency_hz
        if released and interval is not None:
            self._take_interval(Interval(interval.name, start_s, stop_s), new=False)

    def _take_interval(self, interval: Interval, new: bool) -> None:
        study, grid = self._document.study, self._document.grid
        try:
            if new:
                self._document.take(op.add_interval(study, interval, grid), f"new {interval.name}")
            else:
                moved = op.move_interval(study, interval.name, interval.start_s, interval.stop_s, grid)
                self._document.take(moved, "move edge")
        except PantelosError as error:
            self.failed.emit(error)
            self.refresh()

    def activate(self, name: str) -> None:
        """Make an interval the active one."""
        self._document.take(op.activate(self._document.study, name), f"activate {name}")

    def zoom_to(self, name: str) -> None:
        """Show an interval with a little around it."""
        interval = self._document.study.interval(name)
        margin = 0.06 * interval.length_s
        self._document.show(TimeView(interval.start_s - margin, interval.stop_s + margin))

    def snap(self) -> None:
        """Move the edges of the active interval to whole cycles of the reference."""
        evaluation, interval = self._document.evaluation, self._document.study.active_interval
        if evaluation is None or interval is None:
            return

        def take(snapped: Interval) -> None:
            study = op.move_interval(self._document.study, snapped.name, snapped.start_s, snapped.stop_s, self._document.grid)
            self._document.take(study, "snap to whole cycles")

        self._runner.run("snap", lambda progress: evaluation.snapped(interval), take)

    # lanes

    def fit(self, everything: bool) -> None:
        """Fit the scales: of all lanes to the whole record again, or to what is visible, keeping them there."""
        evaluation, study = self._document.evaluation, self._document.study
        if evaluation is None:
            return
        for at, lane in enumerate(study.lanes):
            scale = None if everything else self._visible_extent(lane.channels)
            study = op.fix_scale(study, at, scale)
        self._document.take(study, "fit scales")

    def _visible_extent(self, channels: tuple[str, ...]) -> tuple[float, float] | None:
        evaluation, view = self._document.evaluation, self._document.view
        assert evaluation is not None
        lows, highs = [], []
        for name in channels:
            if name in evaluation.types and evaluation.can_draw(name):
                low, high = evaluation.envelope(name, view.start_s, view.stop_s, 400)
                lows += low[np.isfinite(low)].tolist()
                highs += high[np.isfinite(high)].tolist()
        return fitted(min(lows), max(highs)) if lows else None

    def _channel_menu(self, name: str, place: QPoint) -> None:
        """Offer what can be done with a channel."""
        study = self._document.study
        menu = QMenu(self)
        entries = [
            (f"Show {name} in a lane of its own", lambda: op.show_alone(study, name, len(study.lanes)), f"show {name} alone"),
            (f"Hide {name}", lambda: op.hide_channel(study, name), f"hide {name}"),
            (f"Count cycles of {name}", lambda: op.set_reference(study, name), "reference"),
        ]
        if study.formula(name) is not None:
            entries.append((f"Remove formula {name}", lambda: op.remove_formula(study, name), f"remove {name}"))
        for text, change, step in entries:
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _=False, change=change, step=step: self._try(change, step))
        hidden = [other for other in study.names if not any(other in lane.channels for lane in study.lanes)]
        if hidden:
            section = menu.addMenu("Show")
            assert section is not None
            for other in hidden:
                action = section.addAction(other)
                assert action is not None
                action.triggered.connect(lambda _=False, other=other: self.show_channel(other))
        menu.exec(place)

    def show_channel(self, name: str) -> None:
        """Show a hidden channel in a lane of its own."""
        study = self._document.study
        self._document.take(op.show_alone(study, name, len(study.lanes)), f"show {name}")

    def _try(self, change: Callable[[], Study], step: str) -> None:
        try:
            self._document.take(change(), step)
        except PantelosError as error:
            self.failed.emit(error)
