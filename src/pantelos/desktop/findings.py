"""The checks of the window: run after every change, counted in the header, listed on request, each leading to its place."""

from PyQt6.QtCore import QObject, QPoint

from pantelos.checks import concerns, run_checks
from pantelos.desktop.parts.popups import ChecksPopup
from pantelos.desktop.stage import Stage
from pantelos.notice import Notice
from pantelos.study.finding import remedy_of
from pantelos.study.model import Study


class Checking(QObject):
    """Knows the present findings."""

    def __init__(self, window: Stage) -> None:
        super().__init__(window.widget)
        self._window = window
        self.notices: tuple[Notice, ...] = ()
        self.popup: ChecksPopup | None = None

    def run(self) -> None:
        """Have everything checked off the interface thread."""
        evaluation = self._window.document.evaluation
        self._window.show_headline()
        if evaluation is not None:
            self._window.wiring.notices.grey()
            self._window.runner.run("checks", lambda progress: run_checks(evaluation), self._take, lambda error: self._take(()))

    def _take(self, notices: tuple[Notice, ...]) -> None:
        self.notices = notices
        self.show_count()
        self._window.wiring.show_notices(notices)
        self._window.traces.lanes.update()  # clipped samples are known now
        self._window.show_headline()

    def show_count(self) -> None:
        """Say in the header how many ask for attention."""
        there = self._window.document.record is not None
        self._window.header.show_checks(len(concerns(self.notices)) if there else None)

    def show(self) -> None:
        """List all findings."""
        window = self._window
        if self.popup is not None:
            self.popup.deleteLater()
        self.popup = ChecksPopup(self.notices, window.theme, window.widget)
        self.popup.place_wanted.connect(self.go_to)
        self.popup.remedy_wanted.connect(self.mend)
        button = window.header.checks
        self.popup.open_at(button.mapToGlobal(QPoint(button.width() // 2, button.height())))

    def go_to(self, notice: Notice) -> None:
        """Show the place a finding concerns: the wiring, the lane of a channel, the instant, the interval."""
        window = self._window
        if notice.code.startswith("wiring"):
            window.show_page(0)
            return
        window.show_page(1)
        if notice.channel is not None:
            window.traces.show_lane(notice.channel)
        if notice.interval is not None:
            window.traces.intervals.zoom_to(notice.interval)
        elif notice.at_s is not None:
            view = window.document.view
            window.document.show(view.moved(notice.at_s - (view.start_s + view.stop_s) / 2))
        elif notice.code.startswith("interval") and window.document.study.active is not None:
            window.traces.intervals.zoom_to(window.document.study.active)

    def mend(self, notice: Notice) -> None:
        """Take the remedy of a finding, off the interface thread: it may have to look at the record."""
        window, study, remedy = self._window, self._window.document.study, remedy_of(notice)
        if remedy is None:
            return
        if remedy.change is None:
            window.focus_derive()
            formula = study.formula(remedy.formula)
            window.traces.derive.put(formula.text if formula is not None else "")
            return
        change = remedy.change

        def take(changed: Study) -> None:
            if window.document.study is study:  # else it was changed meanwhile, and the checks are made anew
                window.document.take(changed, remedy.action)

        window.runner.run("mend", lambda progress: change(study), take, window.show_error)
