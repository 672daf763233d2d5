"""The row of panels below the ledger, each bound to channels and to an interval, and the button that adds one."""

from collections.abc import Callable
from functools import partial
from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import QPoint, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMenu, QToolButton, QWidget

from pantelos.desktop.document import Document
from pantelos.desktop.drawing.picture_out import CaptionedPicture
from pantelos.desktop.parts.menus import offer
from pantelos.desktop.presenter.fitting import fitting
from pantelos.desktop.runner import Runner
from pantelos.desktop.selection import Selection
from pantelos.desktop.theme import LIGHT, Theme
from pantelos.desktop.traces.panels.frame import PanelFrame
from pantelos.desktop.traces.panels.shelf import PanelShelf
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError
from pantelos.panels import PANELS, first_panel, panel_kind, panel_picture
from pantelos.panels.subjects import over_its_stretch, with_stretches
from pantelos.progress import Progress
from pantelos.study import operations as op
from pantelos.study.model import Interval, Study
from pantelos.study.powers import offered_powers
from pantelos.study.shown import Panel

VISIBLE = "visible stretch"
_OFFERED = 8  # kinds of panel beside each other while there is none
_FOLLOW_MS = 120  # after the view stands still that long, linked panels follow it


class _Offers(QWidget):
    """Says what can be put here while there is nothing: powers and panels that fit, as many as there is room for.

    All panels stand behind the +.
    """

    def __init__(self, add: Callable[[str], None], follow: Callable[[str, str], None]) -> None:
        super().__init__(objectName="side")
        self._add, self._follow = add, follow
        row = QHBoxLayout(self)
        row.setSizeConstraint(QHBoxLayout.SizeConstraint.SetNoConstraint)  # it makes no window wider
        row.setContentsMargins(12, 2, 4, 2)
        row.setSpacing(2)
        self._said = QLabel("Show:")
        self._said.setProperty("soft", True)
        row.addWidget(self._said)
        row.addStretch(1)
        self._buttons: list[QToolButton] = []
        self._shown: tuple[object, ...] = ()
        self.show_for(Study())

    def show_for(self, study: Study) -> None:
        """Offer what fits a study."""
        powers, kinds = offered_powers(study), fitting(study)[:_OFFERED]
        if (*powers, *kinds) == self._shown:
            return
        self._shown = (*powers, *kinds)
        row = self.layout()
        assert isinstance(row, QHBoxLayout)
        for button in self._buttons:
            row.removeWidget(button)
            button.hide()
            button.deleteLater()
        self._buttons = []
        for of in powers:
            button = QToolButton(text=f"Power of {of.connection}", toolTip=f"{of.name} = {of.expression}, in a lane of its own")
            button.setProperty("boxed", True)
            button.clicked.connect(lambda _, of=of: self._follow(of.name, of.expression))
            self._put(row, button)
        for kind in kinds:
            button = QToolButton(text=PANELS[kind].title, toolTip=PANELS[kind].help)
            button.clicked.connect(lambda _, kind=kind: self._add(kind))
            self._put(row, button)
        self._fit()

    def _put(self, row: QHBoxLayout, button: QToolButton) -> None:
        self._buttons.append(button)
        row.insertWidget(len(self._buttons), button)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Show as many as there is room for."""
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        layout = self.layout()
        assert layout is not None
        margins = layout.contentsMargins()
        left = self.width() - margins.left() - margins.right() - self._said.sizeHint().width()
        for button in self._buttons:
            left -= button.sizeHint().width() + layout.spacing()
            button.setVisible(left >= 0)

    def minimumSizeHint(self) -> QSize:
        """Need room for one of them."""
        return QSize(200, self.sizeHint().height())


class PanelRow(QWidget):
    """All panels side by side, resizable, and the button that adds one."""

    event_chosen = pyqtSignal(str, int)
    fill_wanted = pyqtSignal(bool)  # whether a panel fills the window
    figure_wanted = pyqtSignal(object, str)  # a figure; "png", "svg" or "copy"
    numbers_wanted = pyqtSignal(object)  # a panel whose numbers are to be written
    instants_wanted = pyqtSignal(object)
    height_wanted = pyqtSignal(int)
    explain_wanted = pyqtSignal(object, QPoint)  # a readout panel, where

    def __init__(
        self, document: Document, selection: Selection, runner: Runner, theme: Theme, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._selection, self._runner, self._theme = document, selection, runner, theme
        self.shelf = PanelShelf()
        self._empty = _Offers(self.add, self.follow)
        self.frames: list[PanelFrame] = []
        self._filling: int | None = None
        self._told: bool | None = None  # whether the page was asked for the height of panels, or of the line that offers them
        self._page_filled = False
        self._follow = QTimer(self, singleShot=True, interval=_FOLLOW_MS)
        self._follow.timeout.connect(self.refresh)
        add = QToolButton(text="+", toolTip="Add a panel", accessibleName="Add a panel")
        add.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(add)
        menu.setToolTipsVisible(True)
        self._fill_menu(menu)
        menu.aboutToShow.connect(lambda: self._fill_menu(menu))
        add.setMenu(menu)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.shelf, 1)
        row.addWidget(self._empty, 1)
        row.addWidget(add, 0, Qt.AlignmentFlag.AlignTop)
        self._show_empty()
        self._told = None  # nobody listened yet
        selection.changed.connect(self._mark_event)
        document.view_changed.connect(self._view_changed)

    def _show_empty(self) -> None:
        there = bool(self.frames)
        changed, self._told = there is not self._told, there
        self.shelf.setVisible(there)
        self._empty.setVisible(not there)
        self._empty.show_for(self._document.study)
        self.setMaximumHeight(16_777_215 if there else self._empty.sizeHint().height())
        if changed:
            self.height_wanted.emit(self.shelf.sizeHint().height() if there else self._empty.sizeHint().height())

    def _fill_menu(self, menu: QMenu) -> None:
        """Offer the powers that are not shown yet, then every kind of panel."""
        menu.clear()
        for of in offered_powers(self._document.study):
            offer(menu, f"Power of {of.connection}", partial(self.follow, of.name, of.expression))
        menu.addSeparator()
        for kind in PANELS:
            action = menu.addAction(kind.title)
            assert action is not None
            action.setToolTip(kind.help)
            action.triggered.connect(self._adder(kind.id))

    def _adder(self, kind: str) -> Callable[[], None]:
        return lambda: self.add(kind)

    def add(self, kind: str, panel: Panel | None = None) -> None:
        """Add a panel of that kind, on the chosen channels or the first it can show."""
        evaluation = self._document.evaluation
        if evaluation is not None:
            made = panel if panel is not None else first_panel(evaluation, kind, self._selection.channels)
            self._document.take(op.add_panel(self._document.study, made), f"add {panel_kind(kind).title}")

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self._theme = theme
        for frame in self.frames:
            frame.body.set_theme(theme)

    # computing

    def grey(self) -> None:
        """Show the panels of the study, marked as no longer current."""
        wanted = self._document.study.panels
        if [frame.panel for frame in self.frames] != list(wanted):
            self._rebuild(wanted)
        for frame in self.frames:
            frame.grey()

    def _view_changed(self) -> None:
        """Linked panels follow what is visible."""
        linked = [frame for frame in self.frames if frame.panel.linked]
        for frame in linked:
            frame.grey()
        if linked:
            self._follow.start()

    def _evaluation(self) -> Evaluation | None:
        """Return the engine on a study in which what is visible, and the stretches of panels, are intervals too."""
        evaluation, view = self._document.evaluation, self._document.view
        if evaluation is None:
            return None
        return with_stretches(evaluation, [frame.panel for frame in self.frames], Interval(VISIBLE, view.start_s, view.stop_s))

    def refresh(self) -> None:
        """Have the panels computed."""
        self._show_empty()
        evaluation = self._evaluation()
        if evaluation is None:
            return
        panels = [frame.panel for frame in self.frames]

        def job(progress: Progress) -> list[tuple[Panel, Any]]:
            found: list[tuple[Panel, Any]] = []
            for at, panel in enumerate(panels):
                shown = replace(panel, interval=VISIBLE) if panel.linked else over_its_stretch(panel)
                try:
                    picture = panel_picture(evaluation, shown, progress.part(at / len(panels), (at + 1) / len(panels)))
                except PantelosError as error:
                    picture = str(error)
                found.append((panel, picture))
            return found

        if panels:
            self._runner.run("panels", job, self._deliver)

    def _deliver(self, pictures: list[tuple[Panel, Any]]) -> None:
        """Show what was computed; a frame that shows another panel by now waits for its own."""
        for frame, (panel, picture) in zip(self.frames, pictures, strict=False):
            if frame.panel != panel:
                continue
            if isinstance(picture, str):
                frame.show_message(picture)
            else:
                frame.show_picture(picture)
        self._mark_event()

    # frames

    def _rebuild(self, wanted: tuple[Panel, ...]) -> None:
        spans = {frame.panel: frame.body.span for frame in self.frames}
        for frame in self.frames:
            frame.setParent(None)
            frame.deleteLater()
        self.frames = []
        for index, panel in enumerate(wanted):
            frame = PanelFrame(index, panel, self._document, self._theme)
            self._listen(frame)
            frame.body.span = spans.get(panel)
            self.frames.append(frame)
        self.shelf.show_frames(self.frames)
        self._show_empty()
        if self._filling is not None:
            self._fill(None)

    def _listen(self, frame: PanelFrame) -> None:
        frame.changed.connect(self._change)
        frame.moved.connect(self._move)
        frame.fill_wanted.connect(self._fill)
        frame.picture_wanted.connect(self._take_picture)
        frame.odd_wanted.connect(self.instants_wanted)
        frame.numbers_wanted.connect(self.numbers_wanted)
        frame.formula_wanted.connect(self.follow)
        frame.body.event_chosen.connect(self.event_chosen)
        frame.body.span_changed.connect(lambda span, frame=frame: self._share_span(frame, span))
        frame.body.clicked.connect(lambda place, frame=frame: self.explain_wanted.emit(frame.panel, place))

    def _share_span(self, source: PanelFrame, span: tuple[float, float] | None) -> None:
        """Linked spectra show the same frequencies."""
        if source.panel.linked:
            for frame in self.frames:
                if frame is not source and frame.panel.linked and frame.panel.kind == source.panel.kind:
                    frame.body.show_span(span)

    def _mark_event(self) -> None:
        for frame in self.frames:
            frame.body.stand_at(self._selection.search, self._selection.at_event)

    def _change(self, index: int, panel: Panel | None) -> None:
        self._document.take(op.change_panel(self._document.study, index, panel), "change panel")

    def _move(self, index: int, by: int) -> None:
        panels = list(self._document.study.panels)
        to = min(max(index + by, 0), len(panels) - 1)
        panels.insert(to, panels.pop(index))
        self._document.take(replace(self._document.study, panels=tuple(panels)), "move panel")

    def _fill(self, index: int | None) -> None:
        """Let one panel fill the window, or bring all back."""
        self._filling = None if self._filling is not None else index
        for at, frame in enumerate(self.frames):
            frame.show_filling(at == self._filling)
        self.shelf.show_alone(self.frames[self._filling] if self._filling is not None else None)
        self.fill_wanted.emit(self._filling is not None or self._page_filled)

    def follow(self, name: str, formula: str) -> None:
        """Add a formula over time and show it in a lane of its own."""
        study = self._document.study
        free = name if name not in study.names else next(n for k in range(2, 999) if (n := f"{name}{k}") not in study.names)
        study = op.set_formula(study, f"{free} = {formula}")
        self._document.take(op.show_alone(study, free, len(study.lanes)), f"follow {free}")

    def fill_page(self) -> None:
        """Give the page to all panels, or back to the traces."""
        if not self.frames:
            return
        self._page_filled = not self._page_filled
        if self._filling is not None:
            self._fill(None)
        self.shelf.set_page_filled(self._page_filled)
        self.fill_wanted.emit(self._page_filled)

    @property
    def page_filled(self) -> bool:
        """Whether the panels have the page to themselves."""
        return self._page_filled

    def _take_picture(self, index: int, how: str) -> None:
        frame = self.frames[index]
        body, picture = frame.body, frame.body.picture
        if picture is None:
            return
        caption = f"{self._document.study.title} · {panel_kind(frame.panel.kind).title} · {picture.caption}"
        size = body.drawn_size().expandedTo(QSize(480, 300))
        self.figure_wanted.emit(CaptionedPicture(caption, size, lambda painter, rect: body.draw(painter, rect, LIGHT)), how)
