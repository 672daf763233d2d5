"""Opening, importing, saving and exporting: asks for names, runs the work, hands the result to the document."""

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, Qt
from PyQt6.QtWidgets import QFileDialog, QMessageBox

from pantelos.demo.files import ensure_demo
from pantelos.desktop.import_dialog import ImportDialog
from pantelos.desktop.presenter.importing import ImportDraft, draft
from pantelos.errors import PantelosError
from pantelos.formats import FORMATS
from pantelos.progress import Progress
from pantelos.study.model import Study
from pantelos.study.opening import import_recording, missing_file, recordings_of, relinked
from pantelos.study.recordings import Recordings
from pantelos.study.samples import write_samples
from pantelos.study.storage import SUFFIX, load_study
from pantelos.tables.writers import WRITERS

if TYPE_CHECKING:
    from pantelos.desktop.window import Window


class Files(QObject):
    """The window's way to files; everything that takes time runs off the interface thread."""

    def __init__(self, window: "Window") -> None:
        super().__init__(window)
        self._window = window

    def open_path(self, path: Path) -> None:
        """Open a study, or import anything else."""
        if path.suffix == SUFFIX:
            self.open_study(path)
        else:
            self.import_path(path)

    def open_study(self, path: Path, saved: bool = True) -> None:
        """Open a study and its record off the interface thread."""
        if not self.may_leave():
            return

        def job(progress: Progress) -> tuple[Study, Recordings]:
            study = load_study(path)
            return study, recordings_of(study, progress)

        def done(found: tuple[Study, Recordings]) -> None:
            self._opened(*found, path if saved else None, to_save=not saved)

        self._window.runner.run("open", job, done, lambda error: self._opening_failed(error, path))

    def _opening_failed(self, error: PantelosError, path: Path) -> None:
        self._window.show_error(error)
        try:
            study = load_study(path)
        except PantelosError:
            return
        if study.record is not None:
            self._window.notice_bar.offer("Find the record…", lambda: self._relink(study, path))

    def _relink(self, study: Study, path: Path) -> None:
        name, _ = QFileDialog.getOpenFileName(self._window, "Where is the record?", str(path.parent))
        if name:
            self._window.runner.run(
                "open",
                lambda progress: relinked(study, Path(name), missing_file(study), progress),
                lambda found: self._opened(*found, path),
            )

    def _opened(self, study: Study, recordings: Recordings, path: Path | None, to_save: bool = False) -> None:
        self._window.notice_bar.hide()
        self._window.header.show_checks(None)
        self._window.document.open(study, recordings, path, to_save)
        self._window.show_page(1 if study.connections or path is not None else 0)

    def open_demo(self) -> None:
        """Write the demo where it is not there yet, and open it without a name: saving asks for one."""
        if not self.may_leave():
            return

        def job(progress: Progress) -> tuple[Study, Recordings]:
            study = load_study(ensure_demo(progress=progress))
            return study, recordings_of(study)

        self._window.runner.run("open", job, lambda found: self._opened(*found, None))

    def ask_record(self) -> None:
        """Ask for a recording and show how it is understood."""
        suffixes = " ".join(f"*{suffix}" for fmt in FORMATS for suffix in fmt.suffixes)
        name, _ = QFileDialog.getOpenFileName(self._window, "Open a record", "", f"Recordings ({suffixes});;All files (*)")
        if name:
            self.import_path(Path(name))

    def import_path(self, path: Path) -> None:
        """Show how a recording is understood; import it when the user agrees."""
        try:
            dialog = ImportDialog(draft(path), self._window)
        except PantelosError as error:
            self._window.show_error(error)
            return
        dialog.accepted.connect(lambda: self.import_draft(dialog.draft))
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.open()

    def import_draft(self, agreed: ImportDraft) -> None:
        """Import a recording into a new study off the interface thread."""
        if not self.may_leave():
            return

        def job(progress: Progress) -> tuple[Study, Recordings]:
            return import_recording(Study(), agreed.path, agreed.dialect, progress, agreed.preview)

        self._window.runner.run("import", job, lambda found: self._opened(found[0], found[1], None, to_save=True))

    def ask_study(self) -> None:
        """Ask for a study and open it."""
        name, _ = QFileDialog.getOpenFileName(self._window, "Open a study", "", f"Studies (*{SUFFIX})")
        if name:
            self.open_study(Path(name))

    def recover(self) -> None:
        """Open what a crash left unsaved."""
        kept = self._window.document.recoverable()
        if kept is not None:
            self.open_study(kept, saved=False)

    def save(self) -> None:
        """Save; ask for a name the first time."""
        if self._window.document.path is None:
            self.ask_save()
        else:
            self._window.document.save(self._window.document.path)

    def ask_save(self) -> None:
        """Ask for a name and save."""
        suggested = str(self._window.document.path or f"{self._window.document.study.title}{SUFFIX}")
        name, _ = QFileDialog.getSaveFileName(self._window, "Save the study", suggested, f"Studies (*{SUFFIX})")
        if name:
            self._window.document.save(Path(name).with_suffix(SUFFIX))

    def ask_export(self, suffix: str) -> None:
        """Ask for a file and write all tables to it."""
        kinds = ";;".join(f"{w.title} (*{w.suffix})" for w in WRITERS if suffix in ("", w.suffix))
        suggested = f"{self._window.document.study.title}{suffix or '.xlsx'}"
        name, _ = QFileDialog.getSaveFileName(self._window, "Export tables", suggested, kinds)
        if name:
            self._window.tables.export(Path(name) if Path(name).suffix else Path(name + (suffix or ".xlsx")))

    def ask_samples(self) -> None:
        """Ask for a file and write the samples of the active interval to it."""
        kinds = "CSV (*.csv);;Parquet (*.parquet);;NPZ (*.npz)"
        name, _ = QFileDialog.getSaveFileName(self._window, "Export samples", f"{self._window.document.study.title}.csv", kinds)
        evaluation = self._window.document.evaluation
        if name and evaluation is not None:
            path = Path(name) if Path(name).suffix else Path(name + ".csv")

            def done(n: int) -> None:
                self._window.notice_bar.say(f"{n} samples of each channel written to {path}")

            self._window.runner.run("export", lambda progress: write_samples(evaluation, path, progress=progress), done)

    def may_leave(self) -> bool:
        """Ask what to do with unsaved changes; return whether to go on."""
        if not self._window.document.modified or self._window.document.record is None:
            return True
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(self._window, "Pantelos", f'Save "{self._window.document.study.title}" first?',
                                      buttons.Save | buttons.Discard | buttons.Cancel)  # fmt: skip
        if answer == buttons.Save:
            self.save()
            return not self._window.document.modified
        if answer == buttons.Discard:
            self._window.document.forget_recovery()
        return answer == buttons.Discard
