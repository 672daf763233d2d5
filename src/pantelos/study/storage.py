"""The study file: JSON with a version and a published schema, saved whole or not at all."""

import json
import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec

from pantelos.errors import FormatError, PantelosError, StudyError, access_error, clipped
from pantelos.notation import in_letters
from pantelos.saving import write_whole
from pantelos.study.model import Study
from pantelos.study.validation import check_study

FORMAT = "pantelos-study"
VERSION = 3
SUFFIX = ".pantelos"


class StudyFile(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What the file holds: which format it is, in which version, and the study."""

    format: str
    version: int
    study: Study


def save_study(study: Study, path: Path) -> None:
    """Write a study; the record is referred to relative to the folder of the study.

    Raises
    ------
    FileAccessError
        When it cannot be written; the file that was there is untouched.
    StudyError
        When it could not be opened again.
    """
    try:
        check_study(study)
    except PantelosError as cause:
        raise StudyError(f"The study is not saved, as it could not be opened again: {cause}") from cause
    study = _with_paths(study, lambda place: os.path.relpath(place, path.resolve().parent))
    content = msgspec.json.format(msgspec.json.encode(StudyFile(FORMAT, VERSION, study)), indent=2)
    write_whole(path, content + b"\n")


def load_study(path: Path) -> Study:
    """Return the study in a file, its record with an absolute path.

    Raises
    ------
    FileAccessError
        When it cannot be read.
    FormatError
        When it is not a study, damaged, or written by a newer version; the file is left as it is.
    """
    try:
        content = path.read_bytes()
    except OSError as cause:
        raise access_error(path, "read", cause) from cause
    found = _checked(path, content)
    try:
        study = msgspec.convert(found, type=StudyFile).study
        check_study(study)
    except (msgspec.ValidationError, OverflowError, RecursionError, PantelosError) as cause:
        said = str(cause) if isinstance(cause, PantelosError) else clipped(str(cause))
        raise FormatError(
            path,
            f"the study is damaged ({said.rstrip('.')})",
            "the content a study has",
            "It was left as it is; go back to an earlier copy.",
        ) from cause
    return _with_paths(study, lambda place: str((path.resolve().parent / place).resolve()))


def _with_paths(study: Study, changed: Callable[[str], str]) -> Study:
    """Return the study with other paths to the files of its record."""
    if study.record is None:
        return study
    files = tuple(msgspec.structs.replace(file, path=changed(file.path)) for file in study.record.files)
    return msgspec.structs.replace(study, record=msgspec.structs.replace(study.record, files=files))


def _checked(path: Path, content: bytes) -> Any:
    """Return what a file holds, brought to the present version."""
    try:
        found: Any = json.loads(content)
        if b"\\ud" in content.lower():  # perhaps half a letter, which could not be saved again
            found = json.loads(in_letters(json.dumps(found, ensure_ascii=False)))
    except (ValueError, RecursionError) as cause:  # also whole numbers of thousands of digits
        raise FormatError(
            path, "the study cannot be read as JSON", "a complete study", "It was left as it is; go back to an earlier copy."
        ) from cause
    if not isinstance(found, dict) or found.get("format") != FORMAT:
        raise FormatError(path, "this is not a study", f'a file that says "format": "{FORMAT}"', "Choose another file.")
    version = found.get("version")
    if isinstance(version, int) and not isinstance(version, bool) and version < 1:
        advice = "It was left as it is; go back to an earlier copy."
        raise FormatError(
            path, f"the study is of version {clipped(str(version))}, which there never was", "version 1 or later", advice
        )
    if not isinstance(version, int) or isinstance(version, bool) or version > VERSION:
        raise FormatError(
            path,
            f"the study is of version {clipped(str(version))}",
            f"version {VERSION} or older",
            "Open it with a newer Pantelos; it was left as it is.",
        )
    return _from_version_1(found) if version == 1 else {**found, "version": VERSION}  # version 3 only says more


def _from_version_1(found: dict[str, Any]) -> dict[str, Any]:
    """Return a file of version 1, whose record was always one file, as one of today."""
    study = found.get("study")
    if isinstance(study, dict) and isinstance(record := study.get("record"), dict):
        study = {**study, "record": {"files": [record]}}
    return {**found, "version": VERSION, "study": study}


def schema() -> dict[str, Any]:
    """Return the JSON schema of the study file."""
    return msgspec.json.schema(StudyFile)
