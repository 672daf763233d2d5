"""What was agreed on for a file is remembered for files of the same shape."""

import hashlib
from dataclasses import replace
from pathlib import Path

import msgspec

from pantelos.formats.dialect import Dialect, Preview
from pantelos.formats.problems import problems_of
from pantelos.record.cache import settings_directory


def _shape(found: Preview) -> str:
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
    if not seen.shape or agreed == seen.dialect:
        return
    try:
        _note(seen.shape).parent.mkdir(parents=True, exist_ok=True)
        _note(seen.shape).write_bytes(msgspec.json.encode(agreed))
    except OSError:
        return


def with_what_was_agreed(found: Preview) -> Preview:
    """Return the preview with the corrections made to a file of the same shape before."""
    shape = _shape(found)
    found = replace(found, shape=shape)
    try:
        kept = msgspec.json.decode(_note(shape).read_bytes(), type=Dialect)
    except (OSError, msgspec.DecodeError):
        return found
    if len(kept.columns) != len(found.dialect.columns):
        return found
    rate_hz = found.dialect.rate_hz or kept.rate_hz  # what the file itself states is newer
    agreed = msgspec.structs.replace(found.dialect, columns=kept.columns, rate_hz=rate_hz)
    reasons = (*found.reasons, "names, units and roles as agreed on for a file of this shape before")
    problems = tuple(map(str, problems_of(agreed)))
    return replace(found, dialect=agreed, reasons=reasons, problems=problems, rate_hz=found.rate_hz or rate_hz)
