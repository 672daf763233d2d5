"""The file of a campaign: recipe, records and values in SQLite, one transaction a record: none is lost or there twice."""

import contextlib
import hashlib
import sqlite3
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path

import msgspec

from pantelos.campaigns.conditions import Limit
from pantelos.campaigns.rows import Cell, Known, Row, Wanted
from pantelos.errors import FileAccessError, FormatError, StudyError
from pantelos.study.model import Study
from pantelos.version import __version__

SUFFIX = ".campaign"
_FORMAT, _VERSION = "pantelos-campaign", 1
_BUSY_MS = 20_000
_TABLES = """
CREATE TABLE about (key TEXT PRIMARY KEY, value TEXT NOT NULL);
CREATE TABLE records (
    id INTEGER PRIMARY KEY, path TEXT UNIQUE NOT NULL, state TEXT NOT NULL DEFAULT 'waiting', mark TEXT NOT NULL DEFAULT '',
    began TEXT NOT NULL DEFAULT '', sentence TEXT NOT NULL DEFAULT '', took_s REAL NOT NULL DEFAULT 0,
    recipe TEXT NOT NULL DEFAULT '', program TEXT NOT NULL DEFAULT '');
CREATE TABLE cells (
    record INTEGER NOT NULL REFERENCES records(id) ON DELETE CASCADE, name TEXT NOT NULL,
    value REAL, unit TEXT NOT NULL, expanded REAL, remark TEXT NOT NULL, PRIMARY KEY (record, name)) WITHOUT ROWID;
"""


class Campaign:
    """A campaign in its file."""

    def __init__(self, path: Path) -> None:
        """Open a campaign.

        Raises
        ------
        FileAccessError, FormatError
            When it is not there, or is none.
        """
        if not path.exists():
            raise FileAccessError(
                path, "read", "it is not there", f"Make one with: pantelos campaign new {path.name} --recipe STUDY."
            )
        self.path = path
        self._db = _connected(path)
        try:
            about = dict(self._db.execute("SELECT key, value FROM about"))
        except sqlite3.DatabaseError as cause:
            raise _no_campaign(path) from cause
        if about.get("format") != _FORMAT or int(about.get("version", 0)) > _VERSION:
            raise FormatError(path, "it is no campaign of this version", f"version {_VERSION}", "It was left as it is.")

    @classmethod
    def new(cls, path: Path, recipe: Study, wanted: Sequence[Wanted]) -> "Campaign":
        """Make a campaign.

        Raises
        ------
        StudyError
            When it exists already.
        """
        if path.exists():
            raise StudyError(f"{path} exists already. Choose another name, or go on with it: pantelos campaign run.")
        db = _connected(path)
        with db:
            db.executescript(_TABLES)
            db.executemany("INSERT INTO about VALUES (?, ?)", [("format", _FORMAT), ("version", str(_VERSION))])
        db.close()
        made = cls(path)
        made.set_recipe(recipe)
        made.set_wanted(wanted)
        return made

    def close(self) -> None:
        """Let go of the file."""
        self._db.close()

    def _about(self, key: str, otherwise: str = "") -> str:
        found = self._db.execute("SELECT value FROM about WHERE key = ?", (key,)).fetchone()
        return str(found[0]) if found else otherwise

    def _set_about(self, key: str, value: str) -> None:
        with self._written():
            self._db.execute(
                "INSERT INTO about VALUES (?, ?) ON CONFLICT (key) DO UPDATE SET value = excluded.value", (key, value)
            )

    @contextlib.contextmanager
    def _written(self) -> Iterator[None]:
        """Write in one transaction; what the disk refuses is one sentence."""
        try:
            with self._db:
                yield
        except sqlite3.OperationalError as cause:
            raise FileAccessError(self.path, "written", str(cause), "Rows that were kept before stay.") from cause

    @property
    def recipe(self) -> Study:
        """The study that is done again."""
        return msgspec.json.decode(self._about("recipe"), type=Study)

    def set_recipe(self, recipe: Study) -> None:
        """Take another recipe; rows of the former one are stale."""
        self._set_about("recipe", msgspec.json.encode(recipe).decode())

    @property
    def wanted(self) -> tuple[Wanted, ...]:
        """The values that are taken."""
        return msgspec.json.decode(self._about("wanted", "[]"), type=tuple[Wanted, ...])

    def set_wanted(self, wanted: Iterable[Wanted]) -> None:
        """Say which values are taken."""
        given = tuple(wanted)
        names = [one.name for one in given]
        twice = next((name for name in names if names.count(name) > 1), None)
        if twice is not None:
            raise StudyError(f'Two values are called "{twice}". Give one of them another name.')
        self._set_about("wanted", msgspec.json.encode(given).decode())

    @property
    def limits(self) -> tuple[Limit, ...]:
        """What values are held against."""
        return msgspec.json.decode(self._about("limits", "[]"), type=tuple[Limit, ...])

    def set_limits(self, limits: Iterable[Limit]) -> None:
        """Say what values are held against; no value is computed anew for it."""
        self._set_about("limits", msgspec.json.encode(tuple(limits)).decode())

    @property
    def aliases(self) -> dict[str, tuple[str, ...]]:
        """Other names that columns of the recipe may have."""
        return msgspec.json.decode(self._about("aliases", "{}"), type=dict[str, tuple[str, ...]])

    def set_aliases(self, aliases: dict[str, tuple[str, ...]]) -> None:
        """Say what else columns may be called."""
        self._set_about("aliases", msgspec.json.encode(aliases).decode())

    @property
    def key(self) -> str:
        """What a row depends on beside its record: recipe, values, names of columns, program."""
        parts = (self._about("recipe"), self._about("wanted", "[]"), self._about("aliases", "{}"), __version__)
        return hashlib.blake2b("\n".join(parts).encode(), digest_size=16).hexdigest()

    def add(self, paths: Iterable[Path]) -> int:
        """Take records into the campaign; those that are there already stay as they are. Return how many are new."""
        before = self.count()
        with self._written():
            self._db.executemany("INSERT OR IGNORE INTO records (path) VALUES (?)", [(str(path.resolve()),) for path in paths])
        return self.count() - before

    def count(self, state: str | None = None) -> int:
        """Return how many records there are, of one state."""
        asked = (
            ("SELECT count(*) FROM records", ()) if state is None else ("SELECT count(*) FROM records WHERE state = ?", (state,))
        )
        return int(self._db.execute(*asked).fetchone()[0])

    def to_do(self, again: bool = False) -> list[tuple[int, str]]:
        """Return (id, path) of the records whose rows are not of this recipe and of the file as it is; failed ones as well."""
        key, found = self.key, []
        for id_, path, state, mark, recipe in self._db.execute("SELECT id, path, state, mark, recipe FROM records ORDER BY id"):
            if again or state == "waiting" or recipe != key or mark != mark_of(Path(path)):
                found.append((int(id_), str(path)))
        return found

    def keep(self, id_: int, key: str, row: Row) -> None:
        """Keep the row of a record, all of it or nothing."""
        state = "failed" if row.sentence else "done"
        with self._written():
            self._db.execute(
                "UPDATE records SET state = ?, mark = ?, began = ?, sentence = ?, took_s = ?, recipe = ?, program = ? "
                "WHERE id = ?",
                (state, row.mark, row.began, row.sentence, row.took_s, key, __version__, id_),
            )
            self._db.execute("DELETE FROM cells WHERE record = ?", (id_,))
            self._db.executemany(
                "INSERT INTO cells VALUES (?, ?, ?, ?, ?, ?)",
                [(id_, name, cell.value, cell.unit, cell.expanded, cell.remark) for name, cell in row.cells.items()],
            )

    def records(self, ids: Iterable[int] | None = None) -> list[Known]:
        """Return records with their values, all for None, in the order in which they were taken in."""
        if ids is None:
            return self._known("", ())
        return [known for id_ in ids for known in self._known("WHERE {} = ?", (id_,))]

    def _known(self, where: str, values: tuple[int, ...]) -> list[Known]:
        cells: dict[int, dict[str, Cell]] = {}
        for id_, name, value, unit, expanded, remark in self._db.execute(f"SELECT * FROM cells {where.format('record')}", values):
            cells.setdefault(id_, {})[name] = Cell(value, unit, expanded, remark)
        asked = f"SELECT id, path, state, began, sentence, took_s, recipe FROM records {where.format('id')} ORDER BY id"
        return [
            Known(id_, path, state, began, sentence, took_s, recipe, cells.get(id_, {}))
            for id_, path, state, began, sentence, took_s, recipe in self._db.execute(asked, values)
        ]


def mark_of(path: Path) -> str:
    """Return size and time of change of a file: what it takes to see that it is another one; empty where it is gone."""
    try:
        found = path.stat()
    except OSError:
        return ""
    return f"{found.st_size}:{found.st_mtime_ns}"


def _connected(path: Path) -> sqlite3.Connection:
    try:
        db = sqlite3.connect(path, timeout=_BUSY_MS / 1000)
        db.execute("PRAGMA foreign_keys = ON")
        db.execute("PRAGMA synchronous = FULL")
    except sqlite3.OperationalError as cause:
        raise FileAccessError(path, "opened", str(cause), "Check the folder and its rights.") from cause
    except sqlite3.DatabaseError as cause:
        raise _no_campaign(path) from cause
    return db


def _no_campaign(path: Path) -> FormatError:
    return FormatError(path, "it is no campaign", "a file that campaign new made", "It was left as it is.")


__all__ = ["SUFFIX", "Campaign", "Known", "Wanted", "mark_of"]
