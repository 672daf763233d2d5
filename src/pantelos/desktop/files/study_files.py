"""Opening, importing, saving and exporting: asks for names, runs the work, hands the result to the document."""

from collections.abc import Sequence
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject, Qt, QUrl
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import QFileDialog

from pantelos.campaigns import SUFFIX as CAMPAIGN_SUFFIX
from pantelos.demo.small import SmallDemo, ensure_small_demo
from pantelos.demo.writing import ensure_demo
from pantelos.desktop.drawing.picture_out import CaptionedPicture, copy_figure, save_figure
from pantelos.desktop.files.samples_dialog import SamplesDialog
from pantelos.desktop.parts.questions import Answer, ask
from pantelos.desktop.presenter.sample_choice import SamplesChoice
from pantelos.desktop.stage import Stage
from pantelos.errors import PantelosError
from pantelos.notation import counted
from pantelos.progress import Progress
from pantelos.settings import load_settings, remember_file
from pantelos.sheets.writers import WRITERS, write_tables
from pantelos.study.model import Study
from pantelos.study.opening import missing_file, recordings_of
from pantelos.study.recordings import Recordings
from pantelos.study.recovery import Kept
from pantelos.study.shown import Panel
from pantelos.study.storage import SUFFIX, load_study
from pantelos.tables.bundle import BUNDLE_SUFFIX, opened_bundle
from pantelos.tables.panel_tables import panel_tables


class Files(QObject):
    """The window's way to files; everything that takes time runs off the interface thread."""

    def __init__(self, window: Stage) -> None:
        super().__init__(window.widget)
        self._window = window

    def open_paths(self, paths: Sequence[Path]) -> None:
        """Open a study, or show how anything else is understood."""
        bundles = [path for path in paths if path.suffix == BUNDLE_SUFFIX]
        if bundles:
            self._window.runner.run("unpack", lambda progress: opened_bundle(bundles[0]), self.open_study)
            return
        campaigns = [path for path in paths if path.suffix == CAMPAIGN_SUFFIX]
        if campaigns:
            self._window.open_campaign(campaigns[0])
            return
        studies = [path for path in paths if path.suffix == SUFFIX]
        if studies:
            self.open_study(studies[0])
        elif paths:
            self._window.imports.show(paths)

    def open_study(self, path: Path, saved: bool = True, home: Path | None = None) -> None:
        """Open a study and its record off the interface thread."""
        try:
            study = load_study(path)
        except PantelosError as error:  # nothing is asked, and nothing left, for a file that cannot be opened
            self._window.show_error(error)
            return
        if not self.may_leave():
            return

        def job(progress: Progress) -> tuple[Study, Recordings]:
            return study, recordings_of(study, progress)

        def done(found: tuple[Study, Recordings]) -> None:
            self.opened(*found, path if saved else home, to_save=not saved)
            if saved:
                remember_file(path)
            else:
                self._window.document.recovery.adopt(path)

        self._window.runner.run("open", job, done, lambda error: self._opening_failed(error, path))

    def _opening_failed(self, error: PantelosError, path: Path) -> None:
        self._window.show_error(error)
        try:
            study = load_study(path)
        except PantelosError:
            return
        missing = missing_file(study)
        if study.record is not None:
            self._window.notice_bar.offer("Find the record…", lambda: self._window.imports.relink_from(study, path, missing))

    def opened(self, study: Study, recordings: Recordings, path: Path | None, to_save: bool = False, stay: bool = False) -> None:
        """Show a study that was read or made, on the page that suits it or, with `stay`, on the one that is shown."""
        self._window.notice_bar.hide()
        self._window.header.show_checks(None)
        self._window.traces.selection.forget()
        self._window.document.open(study, recordings, path, to_save)
        if not stay:
            self._window.show_page(1 if study.connections or path is not None else 0)

    def open_demo(self, small: SmallDemo | None = None) -> None:
        """Write a demo where it is not there yet, and open it without a name: saving asks for one."""
        if not self.may_leave():
            return

        def job(progress: Progress) -> tuple[Study, Recordings]:
            path = ensure_small_demo(small, progress=progress) if small is not None else ensure_demo(progress=progress)
            study = load_study(path)
            return study, recordings_of(study)

        self._window.runner.run("open", job, lambda found: self.opened(*found, None))

    def ask_study(self) -> None:
        """Ask for a study and open it."""
        name, _ = QFileDialog.getOpenFileName(self._window.widget, "Open a study", "", f"Studies (*{SUFFIX} *{BUNDLE_SUFFIX})")
        if name:
            self.open_study(Path(name))

    def recover(self, kept: Kept) -> None:
        """Open what a crash left unsaved; it is saved where it was before, unless that was saved again since."""
        home = kept.home if kept.home is not None and kept.home.exists() else None
        newer = home is not None and home.stat().st_mtime > kept.left_at.timestamp()
        self.open_study(kept.path, saved=False, home=None if newer else home)

    def save(self) -> None:
        """Save; ask for a name the first time."""
        document = self._window.document
        if document.path is None:
            self.ask_save()
        elif document.changed_on_disk:
            self._save_beside(document.path)
        else:
            document.save(document.path)

    def _save_beside(self, path: Path) -> None:
        """Save under another name what would replace the work of another window, and say so: both are kept."""
        free = next(other for k in range(2, 10_000) if not (other := path.with_name(f"{path.stem} ({k}){path.suffix}")).exists())
        self._window.document.save(free)
        self._window.notice_bar.say(
            f"{path.name} was saved by another window since it was opened here. Yours is in {free.name}; both are kept.",
            fault=True,
        )

    def ask_save(self) -> None:
        """Ask for a name and save."""
        suggested = str(self._window.document.path or f"{self._window.document.study.title}{SUFFIX}")
        name, _ = QFileDialog.getSaveFileName(self._window.widget, "Save the study", suggested, f"Studies (*{SUFFIX})")
        if name:
            self._window.document.save(Path(name).with_suffix(SUFFIX))
            remember_file(Path(name).with_suffix(SUFFIX))

    def ask_report(self, suffix: str) -> None:
        """Ask for a file and write the report or a bundle to it."""
        path = self._asked("Hand over", suffix, f"{suffix[1:]} (*{suffix})")
        if path is not None:
            self._window.tables.write(path)

    def ask_export(self, suffix: str, alone: bool = False) -> None:
        """Ask for a file and write all tables to it, or the shown one `alone`."""
        kinds = ";;".join(f"{w.title} (*{w.suffix})" for w in WRITERS if suffix in ("", w.suffix))
        path = self._asked("Export tables", suffix or ".xlsx", kinds)
        if path is not None:
            self._window.tables.export(path, alone)

    def say_written(self, path: Path, what: str) -> None:
        """Say what was written and where, until the study changes; offer to open it and to show its folder."""
        text, bar, changed = f"{path}: {what}", self._window.notice_bar, self._window.document.changed
        bar.say(text)
        for title, target in (("Open", path), ("Show folder", path.parent)):
            bar.offer(title, partial(_show, target))

        def withdraw() -> None:
            bar.withdraw(text)
            changed.disconnect(withdraw)

        changed.connect(withdraw)

    def _asked(self, title: str, suffix: str, kinds: str) -> Path | None:
        """Ask for a file; a name without a suffix gets this one."""
        suggested = f"{self._window.document.study.title}{suffix}"
        name, _ = QFileDialog.getSaveFileName(self._window.widget, title, suggested, kinds)
        return None if not name else Path(name) if Path(name).suffix else Path(name + suffix)

    def ask_samples(self) -> None:
        """Ask what samples to write, and where."""
        evaluation = self._window.document.evaluation
        if evaluation is not None:
            dialog = SamplesDialog(evaluation, self._window.widget)
            dialog.accepted.connect(lambda: self._ask_samples_file(dialog.choice))
            dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
            dialog.open()

    def _ask_samples_file(self, choice: SamplesChoice) -> None:
        suggested = f"{self._window.document.study.title}{choice.suffix}"
        name, _ = QFileDialog.getSaveFileName(
            self._window.widget, "Export samples", suggested, f"{choice.suffix} (*{choice.suffix})"
        )
        if name:
            self.write_samples(choice, Path(name) if Path(name).suffix else Path(name + choice.suffix))

    def write_samples(self, choice: SamplesChoice, path: Path) -> None:
        """Write samples off the interface thread."""
        evaluation = self._window.document.evaluation
        if evaluation is None:
            return

        def done(n: int) -> None:
            self._window.notice_bar.say(f"{counted(n, 'sample')} of each channel written to {path}")

        self._window.runner.run("export", lambda progress: choice.write(evaluation, path, progress), done)

    def ask_panel_numbers(self, panel: Panel) -> None:
        """Ask for a file and write the numbers of a panel to it, off the interface thread."""
        evaluation = self._window.document.evaluation
        if evaluation is None:
            return
        kinds = ";;".join(f"{w.title} (*{w.suffix})" for w in WRITERS if not w.single)
        suggested = f"{self._window.document.study.title} {panel.kind}.xlsx"
        name, _ = QFileDialog.getSaveFileName(self._window.widget, "Save numbers", suggested, kinds)
        if name:
            path = Path(name) if Path(name).suffix else Path(f"{name}.xlsx")
            comma = load_settings().tables == "comma"
            self._window.runner.run(
                "export",
                lambda progress: write_tables(panel_tables(evaluation, panel, progress), path, comma),
                lambda nothing: self._window.notice_bar.say(f"The numbers are in {path}."),
            )

    def hand_over_figure(self, figure: CaptionedPicture, how: str) -> None:
        """Copy a picture, or ask for a file and write it there."""
        if how == "copy":
            copy_figure(figure)
            self._window.notice_bar.say("The picture is on the clipboard.")
            return
        kinds = "PNG (*.png);;SVG (*.svg)" if how == "png" else "SVG (*.svg);;PNG (*.png)"
        name, _ = QFileDialog.getSaveFileName(
            self._window.widget, "Save picture", f"{self._window.document.study.title}.{how}", kinds
        )
        if name:
            path = Path(name) if Path(name).suffix else Path(f"{name}.{how}")
            try:
                save_figure(figure, path)
            except PantelosError as error:
                self._window.show_error(error)
                return
            self._window.notice_bar.say(f"The picture is in {path}.")

    def may_leave(self) -> bool:
        """Ask what to do with unsaved changes; return whether to go on."""
        if not self._window.document.modified or self._window.document.record is None:
            return True
        said = f'Save "{self._window.document.study.title}" first?'
        answer = ask(self._window.widget, said, Answer.Save | Answer.Discard | Answer.Cancel)
        if answer == Answer.Save:
            self.save()
            return not self._window.document.modified
        if answer == Answer.Discard:
            self._window.document.forget_recovery()
        return answer == Answer.Discard


def _show(path: Path) -> None:
    """Open a file or folder with what the desktop opens such with."""
    QDesktopServices.openUrl(QUrl.fromLocalFile(str(path)))
