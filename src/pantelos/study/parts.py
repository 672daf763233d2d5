"""Parts of one recording in several files: which files they are, in which order, and whether one is missing."""

import re
from collections.abc import Sequence
from pathlib import Path

from pantelos.errors import StudyError
from pantelos.formats.dialect import Dialect, Preview
from pantelos.formats.registry import FORMATS
from pantelos.formats.text.conversion import seconds_of
from pantelos.notice import Notice, Severity

_MOST_NAMED = 5


def files_meant(named: Sequence[Path]) -> list[Path]:
    """Return the files that some names mean: files, all recordings of a folder, or those that fit a pattern such as `run_*.csv`.

    Raises
    ------
    StudyError
        When a folder or a pattern holds none.
    """
    found: list[Path] = []
    for name in named:
        if name.is_dir():
            inside = [path for path in name.iterdir() if path.is_file() and any(known.claimed_by(path) for known in FORMATS)]
        elif not name.exists() and re.search(r"[*?\[]", name.name):
            inside = [path for path in name.parent.glob(name.name) if path.is_file()]
        else:
            found.append(name)
            continue
        if not inside:
            raise StudyError(f"{name}: there is no recording in it. Name the files.")
        found += sorted(inside, key=natural)
    return list(dict.fromkeys(found))


def natural(path: Path) -> tuple[tuple[int, str], ...]:
    """Return a key that sorts `run_9` before `run_10`."""
    return tuple((int(part), "") if part.isdigit() else (-1, part) for part in re.findall(r"\d+|\D+", path.name))


def are_parts(dialects: Sequence[Dialect]) -> bool:
    """Return whether files hold the same columns: then they may be parts of one recording."""
    columns = [[(c.name, c.unit, c.role) for c in dialect.columns] for dialect in dialects]
    return all(own == columns[0] for own in columns)


def in_order(paths: Sequence[Path], seen: Sequence[Preview]) -> list[int]:
    """Return the order of parts: by date and time where all state them, else by their own times, else by name."""
    dated = [preview.began for preview in seen]
    if all(dated):
        first = dated[0]
        return sorted(range(len(paths)), key=lambda k: began.since_ns(first) if (began := dated[k]) and first else 0)
    starts = [_first_time(preview) for preview in seen]
    known = [start for start in starts if start is not None]
    if len(known) == len(paths) == len(set(known)):
        return sorted(range(len(paths)), key=lambda k: starts[k] or 0.0)
    return sorted(range(len(paths)), key=lambda k: natural(paths[k]))


def _first_time(found: Preview) -> float | None:
    at = found.dialect.time_column
    if at is None:
        return None
    times = seconds_of(list(found.rows[:1]), found.dialect)
    return times[0] if times else None


def missing_parts(paths: Sequence[Path]) -> Notice | None:
    """Return what is to be said where the numbers in the names of parts leave some out; None where they do not."""
    parts = [re.findall(r"\d+|\D+", path.name) for path in paths]
    if len({len(own) for own in parts}) != 1 or len(parts) < 2:
        return None
    differ = [k for k in range(len(parts[0])) if len({own[k] for own in parts}) > 1]
    if len(differ) != 1 or not all(own[differ[0]].isdigit() for own in parts):
        return None
    (at,) = differ
    numbers = sorted(int(own[at]) for own in parts)
    missing = sorted(set(range(numbers[0], numbers[-1])) - set(numbers))
    if not missing or len(missing) > len(numbers):
        return None
    width = len(parts[0][at]) if parts[0][at].startswith("0") else 0
    names = ["".join((*parts[0][:at], f"{number:0{width}d}", *parts[0][at + 1 :])) for number in missing[:_MOST_NAMED]]
    more = f" and {len(missing) - len(names)} more" if len(missing) > len(names) else ""
    return Notice(
        Severity.CAUTION,
        "record.part",
        f"{', '.join(names)}{more} would be between",
        "there is no such file: its time is missing",
    )
