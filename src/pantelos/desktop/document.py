"""The document: the present study, its record and engine, undo, the view, and the file it lives in."""

from pathlib import Path

import msgspec
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from pantelos.desktop.presenter.view import TimeView, ViewHistory
from pantelos.errors import PantelosError
from pantelos.record.cache import cache_directory
from pantelos.record.record import Record
from pantelos.study.evaluation import Evaluation
from pantelos.study.history import History
from pantelos.study.model import Study
from pantelos.study.results import ResultCache
from pantelos.study.storage import SUFFIX, save_study

_RECOVERY_AFTER_MS = 3000


class Document(QObject):
    """One open study. Everything that changes it goes through `take`; everything that shows it listens to `changed`."""

    changed = pyqtSignal()
    view_changed = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.history = History(Study())
        self.record: Record | None = None
        self.path: Path | None = None
        self.views = ViewHistory(TimeView(0.0, 1.0))
        self._results = ResultCache()
        self._evaluation: Evaluation | None = None
        self._saved = self.study
        self._recovery = QTimer(self, singleShot=True, interval=_RECOVERY_AFTER_MS)
        self._recovery.timeout.connect(self._keep_for_recovery)

    @property
    def study(self) -> Study:
        """The present study."""
        return self.history.present

    @property
    def evaluation(self) -> Evaluation | None:
        """The engine on the present study, or None without a record."""
        if self._evaluation is None and self.record is not None:
            self._evaluation = Evaluation(self.study, self.record, self._results)
        return self._evaluation

    @property
    def duration_s(self) -> float:
        """Length of the record; 1 s without one."""
        return self.record.duration_s if self.record is not None else 1.0

    @property
    def modified(self) -> bool:
        """Whether there is something to save."""
        return self.study != self._saved

    def open(self, study: Study, record: Record | None, path: Path | None, to_save: bool = False) -> None:
        """Start with another study; the undo history begins anew. `to_save`: it exists nowhere else yet."""
        self.history = History(study)
        self.record, self.path = record, path
        self._results = ResultCache()
        self._evaluation = None
        self._saved = Study() if to_save else study
        whole = TimeView(0.0, self.duration_s)
        self.views = ViewHistory(TimeView(*study.view).inside(self.duration_s, self._sample_s) if study.view else whole)
        self.changed.emit()
        self.view_changed.emit()

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
        self._evaluation = None
        self._recovery.start()
        self.changed.emit()

    def save(self, path: Path) -> None:
        """Save under a name; raises `FileAccessError` and changes nothing when that fails."""
        view = self.views.present
        save_study(msgspec.structs.replace(self.study, view=(view.start_s, view.stop_s)), path)
        self.path = path
        self._saved = self.study
        self.forget_recovery()
        self.changed.emit()

    # the view

    @property
    def view(self) -> TimeView:
        """The visible stretch."""
        return self.views.present

    @property
    def _sample_s(self) -> float:
        return 1.0 / self.record.rate_hz if self.record is not None else 1e-3

    def show(self, view: TimeView, gesture: str | None = None) -> None:
        """Show another stretch, kept within the record."""
        self.views.show(view.inside(self.duration_s, self._sample_s), gesture)
        self.view_changed.emit()

    def show_again(self, forward: bool) -> None:
        """Go to the view before, or after."""
        if forward:
            self.views.forward()
        else:
            self.views.back()
        self.view_changed.emit()

    # recovery

    @property
    def recovery_path(self) -> Path:
        """Where the unsaved study is kept in case of a crash."""
        name = self.path.stem if self.path is not None else "unsaved"
        return cache_directory() / "recovery" / f"{name}{SUFFIX}"

    def _keep_for_recovery(self) -> None:
        """Keep the unsaved study aside; a full disk must not disturb the work, the next save will say so."""
        if not self.modified:
            return
        try:
            self.recovery_path.parent.mkdir(parents=True, exist_ok=True)
            save_study(self.study, self.recovery_path)
        except (OSError, PantelosError):
            return

    def recoverable(self) -> Path | None:
        """Return the newest study that was kept and never saved, or None."""
        kept = sorted(self.recovery_path.parent.glob(f"*{SUFFIX}"), key=lambda path: path.stat().st_mtime)
        return kept[-1] if kept else None

    def keep_now(self) -> None:
        """Keep the unsaved study aside without waiting: something went wrong inside the program."""
        self._keep_for_recovery()

    def forget_recovery(self) -> None:
        """The study was saved or given up on purpose: nothing is left to recover."""
        self._recovery.stop()
        self.recovery_path.unlink(missing_ok=True)
