"""What was not saved, kept aside in case of a crash: one file for every open study, owned by the window that keeps it.

A kept study is locked as long as its window lives, so that what another window still works on is never offered; the lock
goes with the process, whatever ends it.
"""

import contextlib
import fcntl
import os
import uuid
from datetime import datetime
from pathlib import Path

import msgspec

from pantelos.errors import PantelosError
from pantelos.folders import state_directory
from pantelos.study.model import Study
from pantelos.study.storage import SUFFIX, load_study, save_study


class Kept(msgspec.Struct, frozen=True):
    """A study that was left unsaved: where it is kept, where it was saved before, what it is called, and since when."""

    path: Path
    home: Path | None
    title: str
    left_at: datetime

    @property
    def text(self) -> str:
        """What it is, in words."""
        where = f" ({self.home.name})" if self.home is not None else ", never saved"
        return f'"{self.title}"{where}, not saved on {self.left_at:%Y-%m-%d at %H:%M}'


def _kept(path: Path) -> Kept:
    title = "a study"
    with contextlib.suppress(PantelosError, OSError):
        title = load_study(path).title
    home = ""
    with contextlib.suppress(OSError):
        home = _place_of(path).read_text(encoding="utf-8")
    left_at = datetime.fromtimestamp(path.stat().st_mtime).astimezone()
    return Kept(path, Path(home) if home else None, title, left_at)


class Recovery:
    """The place where one window keeps its unsaved study."""

    def __init__(self) -> None:
        self._take(_folder() / f"{uuid.uuid4().hex}{SUFFIX}")

    def _take(self, path: Path) -> None:
        self.path = path
        self._lock: int | None = None

    def keep(self, study: Study, path: Path | None = None) -> None:
        """Keep a study aside, and where it is saved; a full disk must not disturb the work, the next save will say so."""
        with contextlib.suppress(OSError, PantelosError):
            self.path.parent.mkdir(parents=True, exist_ok=True)
            save_study(study, self.path)
            _place_of(self.path).write_text(str(path.resolve()) if path is not None else "", encoding="utf-8")
            self._hold()

    def _hold(self) -> None:
        if self._lock is None:
            self._lock = _locked(self.path)

    def forget(self) -> None:
        """Keep nothing any longer: the study was saved, or given up on purpose."""
        self.path.unlink(missing_ok=True)
        _lock_of(self.path).unlink(missing_ok=True)
        _place_of(self.path).unlink(missing_ok=True)
        self.release()

    def release(self) -> None:
        """Leave what is kept to whoever comes next."""
        if self._lock is not None:
            _unlock(self._lock)
            self._lock = None

    def found(self) -> "list[Kept]":
        """Return the studies that windows which are gone have left, the newest first."""
        left = [path for path in _folder().glob(f"*{SUFFIX}") if path != self.path and not _is_held(path)]
        return [_kept(path) for path in sorted(left, key=lambda path: path.stat().st_mtime, reverse=True)]

    def adopt(self, path: Path) -> None:
        """Go on with a study that was left: saving it removes what was kept."""
        self.forget()
        self._take(path)
        self._hold()


def _folder() -> Path:
    return state_directory() / "recovery"


def _place_of(path: Path) -> Path:
    return path.with_suffix(".place")


def _lock_of(path: Path) -> Path:
    return path.with_suffix(".lock")


def _locked(path: Path) -> int | None:
    """Return the open lock of a kept study, or None where another window has it."""
    handle = os.open(_lock_of(path), os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        os.close(handle)
        return None
    return handle


def _unlock(handle: int) -> None:
    os.close(handle)


def _is_held(path: Path) -> bool:
    if not _lock_of(path).exists():
        return False
    handle = _locked(path)
    if handle is None:
        return True
    _unlock(handle)
    return False
