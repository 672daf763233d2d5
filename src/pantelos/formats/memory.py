"""What was agreed on for a file is remembered for files of the same shape, and offered: never used unasked."""

import hashlib
from pathlib import Path

import msgspec

from pantelos.folders import settings_directory
from pantelos.formats.dialect import Column, Dialect, Preview
from pantelos.formats.problems import problems_of


def shape_of(found: Preview) -> str:
    """Return a digest of what makes up the shape of a file: how its lines are split, and what its columns are called."""
    dialect = found.dialect
    columns = [(column.name, column.unit) for column in dialect.columns]
    keys = sorted(key for key, _ in found.metadata)
    shape = (dialect.delimiter, dialect.decimal, dialect.thousands, dialect.suffixes, columns, keys)
    return hashlib.blake2b(msgspec.json.encode(shape), digest_size=16).hexdigest()


def _note(shape: str) -> Path:
    return settings_directory() / "shapes" / f"{shape}.json"


def remember(seen: Preview, agreed: Dialect) -> None:
    """Keep corrections to what was understood of a file; failing to is no harm."""
    if agreed == seen.dialect:
        return
    note = _note(shape_of(seen))
    try:
        note.parent.mkdir(parents=True, exist_ok=True)
        note.write_bytes(msgspec.json.encode(agreed))
    except OSError:
        return


def agreed_before(found: Preview) -> Dialect | None:
    """Return the dialect with the corrections made to a file of the same shape before, or None where none were made.

    What the file itself states stays: units, scales and rate are filled in only where it is silent.
    """
    try:
        kept = msgspec.json.decode(_note(shape_of(found)).read_bytes(), type=Dialect)
    except (OSError, msgspec.DecodeError):
        return None
    if len(kept.columns) != len(found.dialect.columns):
        return None
    columns = tuple(_corrected(own, before) for own, before in zip(found.dialect.columns, kept.columns, strict=True))
    agreed = msgspec.structs.replace(found.dialect, columns=columns, rate_hz=found.dialect.rate_hz or kept.rate_hz)
    return agreed if agreed != found.dialect else None


def _corrected(own: Column, before: Column) -> Column:
    """Return a column with name and role as agreed on, and unit and scale where the file states none."""
    return msgspec.structs.replace(
        own,
        name=before.name,
        role=before.role,
        form=before.form,
        base=before.base,
        unit=own.unit if own.unit != "1" else before.unit,
        scale=own.scale if own.scale != 1.0 else before.scale,
    )


def as_before(found: Preview) -> Preview:
    """Return the preview read as a file of the same shape was before; the same where nothing was agreed on."""
    agreed = agreed_before(found)
    if agreed is None:
        return found
    reasons = (*found.reasons, "names, roles and what the file does not state as agreed on for a file of this shape before")
    problems = tuple(map(str, problems_of(agreed)))
    return msgspec.structs.replace(
        found, dialect=agreed, reasons=reasons, problems=problems, rate_hz=found.rate_hz or agreed.rate_hz
    )
