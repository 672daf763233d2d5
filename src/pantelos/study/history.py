"""Undo and redo by keeping values."""

from pantelos.study.model import Study

KEPT = 500  # steps that can be taken back


class History:
    """The studies before and after the present one, each with the name of the step that led on from it."""

    def __init__(self, study: Study) -> None:
        self.present = study
        self._past: list[tuple[Study, str]] = []
        self._future: list[tuple[Study, str]] = []

    def take(self, study: Study, step: str) -> None:
        """Make `study` the present one; `step` says what was done, as in "move edge"."""
        if study == self.present:
            return
        self._past = [*self._past[-KEPT:], (self.present, step)]
        self._future = []
        self.present = study

    def undo(self) -> None:
        """Go one step back, if there is one."""
        if self._past:
            study, step = self._past.pop()
            self._future.append((self.present, step))
            self.present = study

    def redo(self) -> None:
        """Go one step forward again, if there is one."""
        if self._future:
            study, step = self._future.pop()
            self._past.append((self.present, step))
            self.present = study

    @property
    def undo_step(self) -> str | None:
        """What undo would take back."""
        return self._past[-1][1] if self._past else None

    @property
    def redo_step(self) -> str | None:
        """What redo would do again."""
        return self._future[-1][1] if self._future else None
