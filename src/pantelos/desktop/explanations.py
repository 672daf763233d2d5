"""What stands behind a number that is clicked, wherever it stands."""

from PyQt6.QtCore import QObject, QPoint

from pantelos.desktop.parts.popups import ExplanationPopup
from pantelos.desktop.presenter.tables import explained_cell
from pantelos.desktop.stage import Stage
from pantelos.reading.kinds import reading_kind
from pantelos.sheets.blocks import About
from pantelos.sheets.table import Table
from pantelos.tables.explaining import Explanation, explain_reading, explain_value
from pantelos.tables.kinds import KINDS


class Explaining(QObject):
    """Computes explanations off the interface thread and opens them where they were asked for."""

    def __init__(self, window: Stage) -> None:
        super().__init__(window.widget)
        self._window = window
        self.popup: ExplanationPopup | None = None

    def reading(self, channel: str, reading: str, interval: str | None, place: QPoint) -> None:
        """Explain a reading of a channel."""
        evaluation, kind = self._window.document.evaluation, reading_kind(reading)
        if evaluation is not None and kind is not None and channel in evaluation.names.types:
            notices = self._window.checking.notices
            self._window.runner.run(
                "explain",
                lambda progress: explain_reading(evaluation, kind, [channel], interval, notices),
                lambda said: self._open(said, place),
            )

    def readout(self, name: str, place: QPoint) -> None:
        """Explain a formula that is a single value."""
        evaluation, notices = self._window.document.evaluation, self._window.checking.notices
        if evaluation is not None:
            self._window.runner.run(
                "explain", lambda progress: explain_value(evaluation, name, notices), lambda said: self._open(said, place)
            )

    def table_cell(self, table: Table, row: int, column: int, place: QPoint) -> None:
        """Explain a number of a table."""
        evaluation, notices = self._window.document.evaluation, self._window.checking.notices
        if evaluation is not None:
            self._window.runner.run(
                "explain",
                lambda progress: explained_cell(evaluation, table, row, column, notices),
                lambda said: self._open(said, place),
            )

    def cell(self, about: About, place: QPoint) -> None:
        """Explain a number of a sheet."""
        evaluation, notices = self._window.document.evaluation, self._window.checking.notices
        kind = KINDS.get(about.table)
        if evaluation is None or kind is None or kind.explain is None:
            return
        explain = kind.explain

        def open_it(said: Explanation | None) -> None:
            if said is not None:
                self._open(said, place)

        self._window.runner.run("explain", lambda progress: explain(evaluation, dict(about.heads), about.key, notices), open_it)

    def _open(self, said: Explanation, place: QPoint) -> None:
        if self.popup is not None:
            self.popup.deleteLater()
        self.popup = ExplanationPopup(said, self._window.theme, self._window.widget)
        self.popup.use_wanted.connect(self._use)
        self.popup.open_at(place)

    def _use(self, formula: str) -> None:
        """Put what gives the number into the derive line, ready to be named."""
        self._window.focus_derive()
        self._window.traces.derive.put(f"x = {formula}" if not self._window.traces.derive.edit.text() else formula)
