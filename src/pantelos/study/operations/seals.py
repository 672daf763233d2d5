"""Versions of a report that were closed: each stays beside those that come later, and is written again as it was."""

import hashlib
from pathlib import Path

import msgspec
from msgspec.structs import replace

from pantelos.errors import StudyError
from pantelos.study.model import Sealed, Study
from pantelos.study.validation import check_study


def seal(study: Study) -> Study:
    """Return the study with its report closed as its next version.

    Raises
    ------
    StudyError
        When no day of issue is stated, or nothing was changed since the version before.
    """
    issued = study.report.facts.get("issued", "")
    if not issued:
        example = "--fact 'issued = 2026-12-01'"
        raise StudyError(f"A report is closed with its day of issue. State it on the title page, or with {example}.")
    last = study.sealed[-1] if study.sealed else None
    version = last.version + 1 if last is not None else 1
    if last is not None and closed_as(study):
        raise StudyError(f"Nothing was changed since version {last.version} of {last.issued}, so there is nothing to close.")
    content = _content(study, version, f"version {last.version} of {last.issued}" if last is not None else "")
    return replace(study, sealed=(*study.sealed, Sealed(version, issued, _mark(content), content)))


def closed_as(study: Study) -> str:
    """Return which closed version the report of a study is, and which it replaces; empty of a draft."""
    if study.report.version:
        replaced = study.report.replaces
        return f"{study.report.version}, replaces {replaced}" if replaced else str(study.report.version)
    kept = _study_in(study.sealed[-1].content) if study.sealed else None
    return closed_as(kept) if kept is not None and _study_in(_content(study, 0, "")) == _apart(kept, 0, "") else ""


def sealed_version(study: Study, version: int) -> Study:
    """Return the study as it was when a version of its report was closed, on the files that the study lies on now.

    Raises
    ------
    StudyError
        When there is no such version, or it is not what was closed.
    """
    found = next((one for one in study.sealed if one.version == version), None)
    if found is None:
        there = ", ".join(f"{one.version} of {one.issued}" for one in study.sealed)
        raise StudyError(f"There is no closed version {version}; {f'there are {there}' if there else 'none was closed yet'}.")
    if _mark(found.content) != found.mark:
        raise StudyError(f"Version {version} is not what was closed: its mark does not fit. Take an earlier copy of the study.")
    kept = _study_in(found.content)
    check_study(kept)
    return _on_files_of(study, kept)


def _apart(study: Study, version: int, replaces: str) -> Study:
    """Return a study as it is kept: of one version, without others, what is only looked at left out, files by their names."""
    report = replace(study.report, version=version, replaces=replaces)
    kept = replace(study, sealed=(), view=None, report=report)
    if kept.record is None:
        return kept
    files = tuple(replace(file, path=Path(file.path).name) for file in kept.record.files)
    return replace(kept, record=replace(kept.record, files=files))


def _content(study: Study, version: int, replaces: str) -> str:
    return msgspec.json.encode(_apart(study, version, replaces)).decode()


def _study_in(content: str) -> Study:
    try:
        return msgspec.json.decode(content, type=Study)
    except msgspec.DecodeError as cause:
        raise StudyError("A closed version cannot be read. Take an earlier copy of the study.") from cause


def _mark(content: str) -> str:
    return hashlib.blake2b(content.encode(), digest_size=32).hexdigest()


def _on_files_of(study: Study, kept: Study) -> Study:
    """Return a kept study with its files where those of the same content lie."""
    if kept.record is None:
        return kept
    paths = {file.fingerprint: file.path for file in (study.record.files if study.record is not None else ())}
    files = tuple(replace(file, path=paths.get(file.fingerprint, file.path)) for file in kept.record.files)
    return replace(kept, record=replace(kept.record, files=files))
