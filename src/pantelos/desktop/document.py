"""The document: the present study, its record and engine, undo, the view, and the file it lives in."""

import threading
from pathlib import Path

import msgspec
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from pantelos.desktop.presenter.view import TimeView, ViewHistory
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.results import ResultCache
from pantelos.record.pieces import Grid
from pantelos.record.record import Record
from pantelos.study.history import History
from pantelos.study.model import Study
from pantelos.study.recordings import Recordings
from pantelos.study.recovery import Recovery
from pantelos.study.storage import save_study

_RECOVERY_AFTER_MS = 3000
_RELEASED_AFTER_S = 1.0  # by then nothing else holds it


def _let_go_of(held: list[object]) -> None:
    """Drop what was open a little later, on a thread: unmapping files of some gigabytes takes too long to wait for."""
    release = threading.Timer(_RELEASED_AFTER_S, held.clear)
    release.daemon = True
    release.start()


class Document(QObject):
    """One open study. Everything that changes it goes through `take`; everything that shows it listens to `changed`."""

    changed = pyqtSignal()
    view_changed = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.history = History(Study())
        self.recordings = Recordings()
        self.path: Path | None = None
        self.views = ViewHistory(TimeView(0.0, 1.0))
        self._results = ResultCache()
        self._evaluation: Evaluation | None = None
        self._saved = self.study
        self.recovery = Recovery()
        self._on_disk: bytes | None = None  # what the file of the study held when it was opened or saved
        self._keeping = QTimer(self, singleShot=True, interval=_RECOVERY_AFTER_MS)
        self._keeping.timeout.connect(self.keep_now)

    @property
    def study(self) -> Study:
        """The present study."""
        return self.history.present

    @property
    def evaluation(self) -> Evaluation | None:
        """The engine on the present study, or None without a record."""
        record = self.record
        if self._evaluation is None and record is not None:
            self._evaluation = Evaluation(self.study, record, self._results)
        return self._evaluation

    @property
    def record(self) -> Record | None:
        """The record of the present study, or None."""
        return self.recordings.record(self.study.record) if self.study.record is not None else None

    @property
    def grid(self) -> Grid:
        """The instants of the record; a second at 1 kHz without one."""
        record = self.record
        return record.grid if record is not None else Grid(0.0, 1000.0, 1000)

    @property
    def whole(self) -> TimeView:
        """The view of everything."""
        return TimeView(self.grid.start_s, self.grid.stop_s)

    @property
    def modified(self) -> bool:
        """Whether there is something to save."""
        return self.study != self._saved

    def open(self, study: Study, recordings: Recordings, path: Path | None, to_save: bool = False) -> None:
        """Start with another study; the undo history begins anew. `to_save`: it exists nowhere else yet."""
        _let_go_of([self.recordings, self._results, self._evaluation])
        self.history = History(study)
        self.recordings, self.path = recordings, path
        self._on_disk = _content(path) if path is not None else None
        self._results = ResultCache()
        self._evaluation = None
        self._saved = Study() if to_save else study
        self.views = ViewHistory(TimeView(*study.view).inside(self.grid) if study.view else self.whole)
        self.changed.emit()
        self.view_changed.emit()

    def forget_changes(self) -> None:
        """Count the present study as saved: what was done to it is of no further use."""
        self._saved = self.study
        self.forget_recovery()

    def take(self, study: Study, step: str) -> None:
        """Make `study` the present one; `step` names what was done for the undo menu."""
        self.history.take(study, step)
        self._refresh()

    def undo(self) -> None:
        """Go one step back."""
        self.history.undo()
        self._refresh()

    def redo(self) -> None:
        """Go one step forward again."""
        self.history.redo()
        self._refresh()

    def _refresh(self) -> None:
        before = self._evaluation.record.grid if self._evaluation is not None else self.grid
        self._evaluation = None
        self._keeping.start()
        if self.grid != before:
            self._follow(before)
        self.changed.emit()

    def _follow(self, before: Grid) -> None:
        """Show all of a record that was trimmed or joined; after a move of its zero, what was shown before."""
        view, moved = self.view, self.grid.start_s - before.start_s
        only_moved = self.grid.n_samples == before.n_samples and self.grid.rate_hz == before.rate_hz
        self.views = ViewHistory(view.moved(moved).inside(self.grid) if only_moved else self.whole)
        self.view_changed.emit()

    @property
    def changed_on_disk(self) -> bool:
        """Whether the file of the study holds something else than when it was opened or saved here: another window saved it."""
        return self.path is not None and _content(self.path) not in (self._on_disk, None)

    def save(self, path: Path) -> None:
        """Save under a name; raises `FileAccessError` and changes nothing when that fails."""
        view = self.views.present
        save_study(msgspec.structs.replace(self.study, view=(view.start_s, view.stop_s)), path)
        self.path = path
        self._on_disk = _content(path)
        self._saved = self.study
        self.forget_recovery()
        self.changed.emit()

    # the view

    @property
    def view(self) -> TimeView:
        """The visible stretch."""
        return self.views.present

    def show(self, view: TimeView, gesture: str | None = None) -> None:
        """Show another stretch, kept within the record."""
        self.views.show(view.inside(self.grid), gesture)
        self.view_changed.emit()

    def show_again(self, forward: bool) -> None:
        """Go to the view before, or after."""
        if forward:
            self.views.forward()
        else:
            self.views.back()
        self.view_changed.emit()

    # recovery

    def keep_now(self) -> None:
        """Keep the unsaved study aside, in case of a crash."""
        if self.modified:
            self.recovery.keep(self.study, self.path)

    def forget_recovery(self) -> None:
        """The study was saved or given up on purpose: nothing is left to recover."""
        self._keeping.stop()
        self.recovery.forget()


def _content(path: Path) -> bytes | None:
    """Return what a study file holds, or None where it cannot be read."""
    try:
        return path.read_bytes()
    except OSError:
        return None
