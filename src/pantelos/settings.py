"""What the user decided and what was last used, in one small file that can be read, changed in the window, and forgotten."""

import contextlib
from pathlib import Path

import msgspec

from pantelos.errors import FileAccessError
from pantelos.folders import settings_directory
from pantelos.saving import write_whole

_MOST_FILES, _MOST_TRANSDUCERS = 8, 8


class Settings(msgspec.Struct, frozen=True):
    """All of it; an empty text is what the desktop or the country says."""

    theme: str = ""  # "light", "dark"
    tables: str = ""  # how numbers are written in CSV: "point" or "comma"
    dates: str = ""  # what stands first in dates that may be read both ways: "day" or "month"
    kept_mb: int = 512  # of results on the disk, so that they are not made twice
    accuracy: str = ""  # limits of a chain that states none of its own, as in 0.5 % + 20 mA
    recent: tuple[str, ...] = ()  # studies and recordings opened last
    transducers: tuple[str, ...] = ()  # those typed last
    hints_seen: tuple[str, ...] = ()  # pages whose hint was put away


def _path() -> Path:
    return settings_directory() / "settings.json"


def load_settings() -> Settings:
    """Return what is kept; what cannot be read is as if nothing were."""
    try:
        return msgspec.json.decode(_path().read_bytes(), type=Settings)
    except (OSError, msgspec.DecodeError):
        return Settings()


def change_settings(**changes: object) -> Settings:
    """Keep other values, and return all; where they cannot be written they hold for nobody, and nothing else fails."""
    settings = msgspec.convert({**msgspec.to_builtins(load_settings()), **changes}, Settings)
    with contextlib.suppress(OSError, FileAccessError):
        _path().parent.mkdir(parents=True, exist_ok=True)
        write_whole(_path(), msgspec.json.format(msgspec.json.encode(settings), indent=1))
    return settings


def recent_files() -> list[Path]:
    """Return the files opened last that are still there."""
    return [path for path in map(Path, load_settings().recent) if path.exists()]


def remember_file(path: Path) -> None:
    """Put a study or recording first in the list of recent ones."""
    known = load_settings().recent
    change_settings(recent=_first(str(path.resolve()), known, _MOST_FILES))


def remember_transducer(text: str) -> None:
    """Put a transducer first in the list of those last used."""
    known = load_settings().transducers
    change_settings(transducers=_first(text, known, _MOST_TRANSDUCERS))


def forget_used() -> None:
    """Forget what was last used, and which hints were put away; decisions stay."""
    change_settings(recent=(), transducers=(), hints_seen=())


def _first(one: str, known: tuple[str, ...], most: int) -> tuple[str, ...]:
    return (one, *(other for other in known if other != one))[:most]
