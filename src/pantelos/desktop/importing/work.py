"""Importing, joining and relinking recordings: asks, runs the work off the interface thread, hands over the result."""

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import QFileSystemWatcher, QObject, Qt, QTimer
from PyQt6.QtWidgets import QFileDialog

from pantelos.checks.as_read import as_read
from pantelos.desktop.importing.dialog import ImportDialog
from pantelos.desktop.presenter.import_plan import ImportDraft, ImportPlan, draft
from pantelos.desktop.stage import Stage
from pantelos.formats.registry import FORMATS
from pantelos.progress import Progress
from pantelos.record.fingerprint import remembered_fingerprint
from pantelos.settings import remember_file
from pantelos.study.importing import import_files
from pantelos.study.model import Study
from pantelos.study.opening import relinked
from pantelos.study.recordings import Recordings

_TOLD = 4  # sentences on the notice bar
_SETTLED_MS = 600  # a file that is being written changes many times


class Imports(QObject):
    """The window's way to recordings."""

    def __init__(self, window: Stage) -> None:
        super().__init__(window.widget)
        self._window = window
        self._watcher = QFileSystemWatcher(self)
        self._settled = QTimer(self, singleShot=True, interval=_SETTLED_MS)
        self._settled.timeout.connect(self.look_for_changes)
        self._watcher.fileChanged.connect(lambda path: self._settled.start())
        window.document.changed.connect(self._watch)

    def ask(self, joining: bool = False) -> None:
        """Ask for recordings and show how they are understood."""
        suffixes = " ".join(f"*{suffix}" for fmt in FORMATS for suffix in fmt.suffixes)
        title = "Join a recording" if joining else "Open a record"
        names, _ = QFileDialog.getOpenFileNames(self._window.widget, title, "", f"Recordings ({suffixes});;All files (*)")
        if names:
            self.show([Path(name) for name in names], joining)

    def show(self, paths: Sequence[Path], joining: bool = False) -> None:
        """Show how recordings are understood, off the interface thread; import them when the user agrees."""

        def job(progress: Progress) -> list[ImportDraft]:
            found = []
            for at, path in enumerate(paths):
                progress.at(at / len(paths))
                found.append(draft(path))
            return found

        self._window.runner.run("preview", job, lambda drafts: self._show(drafts, joining))

    def _show(self, drafts: list[ImportDraft], joining: bool) -> None:
        dialog = ImportDialog(drafts, self._window.widget, may_join=self._window.document.record is not None)
        if joining:
            dialog.setting.into.setCurrentIndex(1)
            dialog.setting.changed.emit()
        dialog.accepted.connect(lambda: self.run(dialog.plan))
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.open()

    def run(self, plan: ImportPlan) -> None:
        """Import what was agreed on, into a new study or the open one."""
        document = self._window.document
        if not plan.into_open and not self._window.files.may_leave():
            return
        study, recordings = (document.study, document.recordings) if plan.into_open else (Study(), Recordings())
        agreed = plan.agreed

        def done(found: tuple[Study, Recordings]) -> None:
            if plan.into_open:
                document.take(found[0], f"join {plan.drafts[-1].path.name}")
            else:
                self._window.files.opened(found[0], found[1], None, to_save=True)
                remember_file(plan.drafts[0].path)
            self._tell()

        size = sum(given.preview.size_bytes for given in plan.drafts)
        self._window.pace.begin("import", size)
        self._window.runner.run("import", lambda progress: import_files(study, recordings, agreed, progress), done)

    def _tell(self) -> None:
        """Say what was left out or odd, and what was done to set everything on one grid, where there is anything to say."""
        evaluation = self._window.document.evaluation
        said = [notice.sentence for notice in as_read(evaluation)] if evaluation is not None else []
        if said:
            more = f"; {len(said) - _TOLD} more under Checks" if len(said) > _TOLD else ""
            self._window.notice_bar.say(f"Read. {'; '.join(said[:_TOLD])}{more}.")

    # the files of the open study

    def ask_relink(self) -> None:
        """Ask where a file of the record is now, or accept that it has changed."""
        self.relink_from(self._window.document.study, self._window.document.path)

    def relink_from(self, study: Study, path: Path | None, missing: Path | None = None) -> None:
        """Ask for the file that a study's record is to be taken from."""
        name, _ = QFileDialog.getOpenFileName(self._window.widget, "Where is the record?", str(path.parent if path else ""))
        if name:
            self.relink(study, Path(name), path, missing)

    def relink(self, study: Study, to: Path, path: Path | None, missing: Path | None = None, stay: bool = False) -> None:
        """Take one file of a study's record from another place, or as it is now."""
        self._window.runner.run(
            "open",
            lambda progress: relinked(study, to, missing, progress),
            lambda found: self._window.files.opened(found[0], found[1], path, to_save=True, stay=stay),
        )

    def _watch(self) -> None:
        record = self._window.document.record
        wanted = {str(path) for path, _ in record.sources} if record is not None else set()
        watched = set(self._watcher.files())
        if watched - wanted:
            self._watcher.removePaths(sorted(watched - wanted))
        if wanted - watched:
            self._watcher.addPaths(sorted(wanted - watched))

    def look_for_changes(self) -> None:
        """Say which file of the record is gone or no longer what was read, and offer what can be done."""
        document, record = self._window.document, self._window.document.record
        if record is None:
            return
        for path, mark in record.sources:
            if not path.exists():
                self._window.notice_bar.say(f"{path.name} is gone from its folder. What is open stays until the study is closed.")
                self._window.notice_bar.offer("Find it…", lambda p=path: self.relink_from(document.study, document.path, p))  # type: ignore[misc]
                return
            if path.suffix.lower() not in (".cfg",) and remembered_fingerprint(path) != mark:
                self._window.notice_bar.say(
                    f"{path.name} has changed on the disk since it was read. Numbers shown may rest on both.", fault=True
                )
                self._window.notice_bar.offer("Read it again", lambda p=path: self._reread(p))  # type: ignore[misc]
                return
        self._watch()

    def _reread(self, path: Path) -> None:
        self.relink(self._window.document.study, path, self._window.document.path, path, stay=True)
