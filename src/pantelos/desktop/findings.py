"""The checks of the window: run after every change, counted in the header, listed on request, each leading to its place."""

from PyQt6.QtCore import QObject, QPoint

from pantelos.checks import concerns, run_checks
from pantelos.desktop.popups import ChecksPopup
from pantelos.desktop.stage import Stage
from pantelos.errors import PantelosError
from pantelos.notice import Notice
from pantelos.study import operations as op


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
        """Take the remedy of a finding."""
        window, study = self._window, self._window.document.study
        try:
            match notice.code:
                case "interval.broken-cycles":
                    if notice.interval is not None and notice.interval != study.active:
                        window.document.take(op.activate(study, notice.interval), f"activate {notice.interval}")
                    window.traces.intervals.snap()
                case "wiring.sign-of-power" | "wiring.mistaken" if notice.connection is not None:
                    changed = op.rewire(study, notice.connection, dict(notice.rewiring), notice.turned)
                    window.document.take(changed, notice.remedy[:1].lower() + notice.remedy[1:])
                case "wiring.phase-order" if notice.connection is not None:
                    window.document.take(op.swap_phases(study, notice.connection), "swap phases")
                case "formula.broken" if notice.channel is not None:
                    window.focus_derive()
                    formula = study.formula(notice.channel)
                    window.traces.derive.put(formula.text if formula is not None else "")
        except PantelosError as error:
            window.show_error(error)
