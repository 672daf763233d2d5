"""The decisions of a study applied to another record. Nothing is guessed: what needs another answer is refused in a sentence."""

from collections.abc import Mapping
from pathlib import Path

from msgspec.structs import replace

from pantelos.engine.rules import with_places
from pantelos.errors import FileAccessError, FormatError, StudyError
from pantelos.formats.dialect import Column, ColumnRole, Dialect
from pantelos.formats.registry import format_named, format_of
from pantelos.progress import Progress
from pantelos.study.model import SourceFile, Study
from pantelos.study.opening import preview, read_file
from pantelos.study.recordings import Recordings

_AS_WRITTEN = ("delimiter", "decimal", "thousands", "suffixes", "comment")


def check_recipe(study: Study) -> None:
    """Check that a study can be done again.

    Raises
    ------
    StudyError
        When it rests on no record, or on several files.
    """
    if study.record is None:
        raise StudyError("The recipe has no record, so nothing says how files are read. Take a study that was made with one.")
    if len(study.record.files) != 1:
        raise StudyError(
            "The recipe rests on several files; a campaign takes studies of one file. Make a study of a single recording."
        )


def applied(recipe: Study, path: Path, aliases: Mapping[str, tuple[str, ...]]) -> tuple[Study, Recordings, dict[str, str]]:
    """Return the study of a record by a recipe, its recordings, and the intervals that are not there with the reason.

    Parameters
    ----------
    aliases : other names that a column of the recipe may have

    Raises
    ------
    FormatError, FileAccessError, StudyError
        When the file cannot be read as the recipe says.
    """
    check_recipe(recipe)
    assert recipe.record is not None
    (known,) = recipe.record.files
    if not path.exists():
        raise FileAccessError(path, "read", "it is not there", "Put it back, or take it out of the campaign.")
    reader = format_of(path)
    if reader.id != known.format:
        raise FormatError(
            path,
            f"it is {reader.title}",
            f"{format_named(known.format).title}, as the recipe has",
            "Make a campaign of its own for it.",
        )
    dialect = matched(known.dialect, preview(path).dialect, aliases, path)
    read = read_file(reader, path, dialect, Progress())
    file = SourceFile(str(path.resolve()), read[0].fingerprint, reader.id, dialect, known.placement)
    recordings = Recordings()
    recordings.add(file, read)
    source = replace(recipe.record, files=(file,))
    study = replace(recipe, record=source, title=path.stem, view=None)
    record = recordings.record(source)
    study, lost = with_places(study, record)
    low, high = record.start_s - 1e-9, record.grid.stop_s + 1e-9
    for one in study.intervals:
        if not one.rule and not (low <= one.start_s and one.stop_s <= high):
            lost[one.name] = (
                f'"{one.name}" lies from {one.start_s:g} to {one.stop_s:g} s, '
                f"and the record from {record.start_s:g} to {record.grid.stop_s:g} s."
            )
    kept = tuple(one for one in study.intervals if one.name not in lost)
    active = study.active if study.active not in lost else None
    return replace(study, intervals=kept, active=active), recordings, lost


def matched(wanted: Dialect, found: Dialect, aliases: Mapping[str, tuple[str, ...]], path: Path) -> Dialect:
    """Return how a file is read: as the recipe says, its columns found by their names, wherever they stand.

    Raises
    ------
    FormatError
        When a column is missing, is there twice, is in another unit, or the file is written in another way.
    """
    if not found.columns and not wanted.columns:
        return wanted
    differs = [name for name in _AS_WRITTEN if getattr(wanted, name) != getattr(found, name)]
    if differs and found.encoding:
        said = ", ".join(f"{name} {getattr(found, name)!r}" for name in differs)
        raise FormatError(path, f"it is written with {said}", "what the recipe was made with", "Import it once by itself.")
    by_name: dict[str, list[int]] = {}
    for at, column in enumerate(found.columns):
        by_name.setdefault(column.name.strip().casefold(), []).append(at)
    columns = [replace(column, role=ColumnRole.SKIP) for column in found.columns]
    for column in wanted.columns:
        if column.role is ColumnRole.SKIP:
            continue
        at = _place(column, by_name, aliases, found, path)
        if (
            column.role is ColumnRole.CHANNEL
            and found.columns[at].unit not in (column.unit, "1", "")
            and column.unit not in ("1", "")
        ):
            there = found.columns[at]
            raise FormatError(path, f"column {there.name} is in {there.unit}", column.unit, "Import it once by itself.")
        columns[at] = column
    return replace(
        wanted,
        columns=tuple(columns),
        header_line=found.header_line,
        units_line=found.units_line,
        first_line=found.first_line,
        encoding=found.encoding,
    )


def _place(
    column: Column, by_name: dict[str, list[int]], aliases: Mapping[str, tuple[str, ...]], found: Dialect, path: Path
) -> int:
    names = (column.name, *aliases.get(column.name, ()))
    places = [at for name in names for at in by_name.get(name.strip().casefold(), [])]
    if len(places) == 1:
        return places[0]
    if places:
        raise FormatError(
            path, f"column {column.name} is there {len(places)} times", "one", "Say which one: give it a name of its own."
        )
    there = ", ".join(one.name for one in found.columns)
    raise FormatError(
        path,
        f"there is no column {column.name}, only {there}",
        f"{' or '.join(names)}",
        f"Say what it is called here: --alias '{column.name} = NAME'.",
    )
