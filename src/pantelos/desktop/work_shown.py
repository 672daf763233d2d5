"""What goes on, in the header: how far it is, how fast, and the way to give it up."""

from collections.abc import Callable

from PyQt6.QtCore import QObject

from pantelos.desktop.presenter.pace import Pace
from pantelos.desktop.runner import Runner
from pantelos.desktop.title_bar import Header

_SAID = {
    "open": "opening",
    "preview": "looking",
    "import": "importing",
    "export": "writing",
    "tables": "computing",
    "events": "looking for events",
    "fill": "making intervals",
    "mend": "mending",
}


class WorkShown(QObject):
    """Keeps the header true to the runner; work that is not named here is short, and goes on unseen."""

    def __init__(self, runner: Runner, header: Header, pace: Pace, there: Callable[[], bool], parent: QObject) -> None:
        super().__init__(parent)
        self._runner, self._header, self._pace, self._there = runner, header, pace, there
        runner.progressed.connect(self._progressed)
        runner.busy_changed.connect(self._changed)
        header.cancel_wanted.connect(self._cancel)

    @property
    def _shown(self) -> list[str]:
        return [kind for kind in self._runner.kinds if kind in _SAID]

    def _progressed(self, kind: str, fraction: float) -> None:
        if kind in _SAID and self._runner.busy(kind):
            self._header.show_progress(_SAID[kind], fraction, self._pace.text(kind, fraction))

    def _changed(self) -> None:
        shown = self._shown
        self._header.setVisible(bool(shown) or self._there())
        self._header.show_progress(_SAID[shown[0]] if shown else None, 0.0)

    def _cancel(self) -> None:
        for kind in self._shown:
            self._runner.cancel(kind)
