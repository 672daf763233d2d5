"""The Traces page put together: channel drawer, derive line, ruler, lanes, panels, strip; and what is computed for them."""

import math

from PyQt6.QtCore import QEvent, QObject, QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QScrollArea, QSplitter, QVBoxLayout, QWidget

from pantelos.desktop.document import Document
from pantelos.desktop.formulas.shelf import FUNCTIONS, FormulaShelf
from pantelos.desktop.presenter.headline import riding_text
from pantelos.desktop.presenter.reading_columns import Cells, cells_job, reading_columns, told_in_words
from pantelos.desktop.runner import Runner
from pantelos.desktop.selection import Selection
from pantelos.desktop.theme import Theme
from pantelos.desktop.traces.channel_menu import ChannelMenu, Tools
from pantelos.desktop.traces.column_menu import ColumnMenu
from pantelos.desktop.traces.derive_line import DeriveLine
from pantelos.desktop.traces.drawer import ChannelDrawer
from pantelos.desktop.traces.event_steps import EventSteps
from pantelos.desktop.traces.interval_tools import IntervalTools
from pantelos.desktop.traces.lane_tools import LaneTools
from pantelos.desktop.traces.lanes import Lanes
from pantelos.desktop.traces.panels.row import PanelRow
from pantelos.desktop.traces.ruler import Ruler
from pantelos.desktop.traces.strip import Strip
from pantelos.errors import PantelosError, StudyError
from pantelos.formula.compiled import Kind
from pantelos.notation import from_to
from pantelos.progress import Progress
from pantelos.study import operations as op
from pantelos.study.shown import Panel


class TracesPage(QWidget):
    """Looks at the document and hands gestures to its operations."""

    failed = pyqtSignal(PantelosError)
    explain = pyqtSignal(str, str, object, QPoint)  # channel, reading, interval or None, where
    explain_value = pyqtSignal(str, QPoint)  # a formula with one value, where
    drawn = pyqtSignal()  # the traces are there, the numbers beside them on their way
    numbered = pyqtSignal()  # the numbers are there too, their accuracy on its way
    figure_wanted = pyqtSignal(object, str)
    numbers_wanted = pyqtSignal(object)  # a panel whose numbers are to be written

    def __init__(self, document: Document, runner: Runner, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._runner = document, runner
        self.picture_pending = False  # whether what drawing needs is still being computed
        self.selection = Selection(self)
        self.derive = DeriveLine(document, runner, theme)
        self.ruler = Ruler(document, theme)
        self.lanes = Lanes(document, self.selection, theme)
        self.panels = PanelRow(document, self.selection, runner, theme)
        self.strip = Strip(document, self.selection, theme)
        self.drawer = ChannelDrawer(document, theme)
        self.shelf = FormulaShelf(document, runner, theme)
        self.intervals = IntervalTools(self, document, runner)
        self.lane_tools = LaneTools(self, document)
        self.events = EventSteps(self, document, runner)
        self.channel_menu = ChannelMenu(self, document, Tools(self.intervals, self.lane_tools, self.events))
        self.column_menu = ColumnMenu(self, document)
        self._lay_out()
        self._connect()

    @property
    def widget(self) -> QWidget:
        """What menus and dialogs belong to."""
        return self

    def _lay_out(self) -> None:
        self._scroll = QScrollArea()
        self._scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        self._scroll.setWidgetResizable(True)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOn)
        self._scroll.setWidget(self.lanes)
        self._scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._scroll.viewport().installEventFilter(self)  # type: ignore[union-attr]
        self._ledger = QWidget()
        column = QVBoxLayout(self._ledger)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.ruler)
        column.addWidget(self._scroll, 1)
        self._split = QSplitter(Qt.Orientation.Vertical)
        self._split.addWidget(self._ledger)
        self._split.addWidget(self.panels)
        self._split.setSizes([460, 190])
        self._split.setStretchFactor(0, 1)
        right = QWidget()
        whole = QVBoxLayout(right)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(self.derive)
        whole.addWidget(self._split, 1)
        whole.addWidget(self.strip)
        beside = QHBoxLayout(self)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.setSpacing(0)
        beside.addWidget(self.drawer)
        beside.addWidget(right, 1)
        beside.addWidget(self.shelf)
        self.drawer.hide()
        self.shelf.hide()

    def _connect(self) -> None:
        self._document.changed.connect(self.refresh)
        self._document.view_changed.connect(self._show_view)
        for source in (self.ruler, self.lanes):
            source.interval_drawn.connect(self.intervals.new)
            source.edges_dragged.connect(self.intervals.drag)
        self.lanes.pointed.connect(self._point)
        self.lanes.menu_wanted.connect(self.channel_menu.show)
        self.lanes.reading_clicked.connect(self._explain)
        self.lanes.formula_wanted.connect(self.edit_formula)
        self.ruler.heading_clicked.connect(self.column_menu.show)
        self.ruler.names_widened.connect(
            lambda width: self.change_columns("width of the names", names_width=width if width >= 0 else None)
        )
        self.strip.activated.connect(self.intervals.activate)
        self.strip.zoom_to.connect(self.intervals.zoom_to)
        self.strip.moved.connect(self.intervals.move)
        self.panels.event_chosen.connect(self.events.go_to)
        self.panels.fill_wanted.connect(self._fill)
        self.panels.height_wanted.connect(lambda height: self._split.setSizes([self._split.height() - height, height]))
        self.panels.figure_wanted.connect(self.figure_wanted)
        self.panels.numbers_wanted.connect(self.numbers_wanted)
        self.panels.explain_wanted.connect(self._explain_panel)
        self.panels.instants_wanted.connect(self.events.step_through)
        self.selection.changed.connect(self.events.prepare)
        self.numbered.connect(self.events.prepare)
        self.drawer.failed.connect(self.failed)
        self.shelf.failed.connect(self.failed)
        self.shelf.edit_wanted.connect(self.derive.put)
        self.derive.functions_wanted.connect(lambda: self.shelf.open_at(FUNCTIONS))

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Let the lanes fill the visible part."""
        if event is not None and event.type() is QEvent.Type.Resize:
            viewport = self._scroll.viewport()
            assert viewport is not None
            self.lanes.fit_height(viewport.height())
            self.ruler.beside = self._scroll.width() - viewport.width()
        return False

    def edit_formula(self, name: str) -> None:
        """Put a formula into the derive line, ready to be changed."""
        formula = self._document.study.formula(name)
        if formula is not None:
            self.derive.put(formula.text)

    def set_theme(self, theme: Theme) -> None:
        """Use other colours everywhere on the page."""
        for part in (self.derive, self.ruler, self.lanes, self.panels, self.strip, self.drawer, self.shelf):
            part.set_theme(theme)

    def _fill(self, filling: bool) -> None:
        """Give the window to a panel, or back to the traces."""
        for part in (self._ledger, self.derive, self.strip):
            part.setVisible(not filling)

    # showing

    def refresh(self) -> None:
        """Show the present study; start what has to be computed for it."""
        interval = self._document.study.active_interval
        self.set_edges((interval.start_s, interval.stop_s) if interval is not None else None)
        viewport = self._scroll.viewport()
        assert viewport is not None
        self.lanes.fit_height(viewport.height())
        self.strip.fit()
        self.drawer.refresh()
        self.shelf.refresh()
        self._compute()
        self.events.refresh()

    def set_edges(self, edges: tuple[float, float] | None) -> None:
        """Show the edges somewhere, before the study knows of it."""
        self.ruler.edges = edges
        self.ruler.setAccessibleDescription(f"interval from {from_to(*edges)}" if edges is not None else "the whole record")
        self.lanes.show_edges(edges)
        evaluation = self._document.evaluation
        self.ruler.riding = riding_text(evaluation, edges) if evaluation is not None and edges is not None else ""
        self.ruler.update()

    def _point(self, t_s: float) -> None:
        self.ruler.pointer_s = t_s
        self.ruler.update()

    def _show_view(self) -> None:
        for part in (self.ruler, self.lanes, self.strip):
            part.update()

    def _explain(self, channel: str, column: int, place: QPoint) -> None:
        shown = reading_columns(self._document.study)
        if column < len(shown):
            self.explain.emit(channel, shown[column].reading, shown[column].interval, place)

    def _explain_panel(self, panel: Panel, place: QPoint) -> None:
        """Ask what stands behind a big readout."""
        evaluation, name = self._document.evaluation, panel.channels[0]
        if evaluation is not None and name in evaluation.names.types:
            if evaluation.names.kind(name) is Kind.SCALAR:
                self.explain_value.emit(name, place)
            else:
                self.explain.emit(name, panel.reading or "rms", panel.interval, place)

    def show_lane(self, channel: str) -> None:
        """Bring the lane of a channel into sight, and the channel into a lane if it is hidden."""
        if not any(channel in lane.channels for lane in self._document.study.lanes):
            self.lane_tools.show(channel)
        row = next((row for row in self.lanes.places.rows() if channel in row.lane.channels), None)
        if row is not None:
            self._scroll.ensureVisible(0, row.top + row.height // 2, 0, row.height // 2)
        if channel not in self.selection.channels:
            self.selection.choose(channel)

    def _compute(self) -> None:
        """Have pyramids, readings and panels computed off the interface thread."""
        evaluation = self._document.evaluation
        if evaluation is None:
            return
        shown = tuple(
            name
            for lane in self._document.study.lanes
            for name in lane.channels
            if name in evaluation.names.types and evaluation.names.kind(name) is not Kind.SCALAR
        )

        def pyramids(progress: Progress) -> None:
            for at, name in enumerate(shown):
                evaluation.drawing.prepare(name, progress.part(at / len(shown), (at + 1) / len(shown)))

        self.lanes.painter.cells_stale = True
        self.picture_pending = True
        self.panels.grey()
        self._runner.cancel("accuracy")
        self._runner.run("pyramids", pyramids, lambda nothing: self._pyramids_ready(shown))

    def _pyramids_ready(self, shown: tuple[str, ...]) -> None:
        """Draw at once; numbers come after the picture, their accuracy after the numbers."""
        evaluation = self._document.evaluation
        if evaluation is not None:
            columns = reading_columns(evaluation.study)

            def then(cells: Cells) -> None:
                self._show_cells(cells)
                self._runner.run("accuracy", cells_job(evaluation, shown, columns, True), self._show_cells)
                self.numbered.emit()

            job = cells_job(evaluation, shown, columns, False)

            def numbers(progress: Progress) -> Cells:
                evaluation.references.overall  # noqa: B018 - its cycles are found here, off the interface thread, for header and ruler
                return job(progress)

            self._runner.run("readings", numbers, then)
            self.panels.refresh()
        self.picture_pending = False
        self.drawn.emit()
        self._count_cycles()
        self.lanes.update()
        self.strip.update()

    def _count_cycles(self) -> None:
        """Say under the ruler how many cycles lie between the edges, where that is known without work."""
        evaluation = self._document.evaluation
        counted = evaluation is not None and evaluation.references.overall_known()
        self.ruler.n_cycles = evaluation.places.n_cycles(None) if counted and evaluation is not None else math.nan
        self.ruler.update()

    def _show_cells(self, cells: Cells) -> None:
        self.lanes.painter.cells = cells
        self.lanes.painter.cells_stale = False
        if self._document.evaluation is not None:
            self.lanes.setAccessibleDescription(told_in_words(self._document.evaluation, cells))
        self._count_cycles()
        self.lanes.update()

    def toggle_drawer(self) -> None:
        """Show or hide the list of all channels."""
        self.drawer.setVisible(not self.drawer.isVisible())
        if self.drawer.isVisible():
            self.drawer.refresh()
            self.drawer.search.setFocus()

    def toggle_compare(self) -> None:
        """Compare the first reading between intervals, or show readings of the active interval again."""
        columns = self._document.study.columns
        if columns.compare is None and not self._document.study.intervals:
            self.failed.emit(StudyError("There are no intervals to compare. Drag along the time axis to make some."))
            return
        self.change_columns("compare", compare=None if columns.compare is not None else columns.readings[0])

    def toggle_accuracy(self) -> None:
        """Show or hide the accuracy of readings."""
        self.change_columns("accuracy", accuracy=not self._document.study.columns.accuracy)

    def change_columns(self, step: str, **changes: object) -> None:
        """Show other readings beside the lanes."""
        try:
            self._document.take(op.change_columns(self._document.study, **changes), step)
        except PantelosError as error:
            self.failed.emit(error)
