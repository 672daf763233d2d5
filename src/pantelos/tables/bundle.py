"""Everything in one file: study, the recordings it uses or a stretch of them, tables, report, versions and fingerprints.

A ZIP archive with `manifest.json`, which names every file with its BLAKE2b-256; it is verified when it is opened.
"""

import hashlib
import io
import zipfile
from collections.abc import Sequence
from pathlib import Path, PurePosixPath
from tempfile import TemporaryDirectory

import msgspec
from msgspec.structs import replace

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError, access_error
from pantelos.formats.registry import files_beside
from pantelos.notice import Notice
from pantelos.progress import Progress
from pantelos.saving import write_whole
from pantelos.sheets.writers import write_tables
from pantelos.study.importing import import_recording
from pantelos.study.model import Study
from pantelos.study.opening import preview
from pantelos.study.storage import SUFFIX, save_study
from pantelos.tables.building import build_tables
from pantelos.tables.composition import compose
from pantelos.tables.sample_export import write_samples
from pantelos.tables.writing import write_report
from pantelos.version import __version__

BUNDLE_SUFFIX = ".pantelos-bundle"
_MANIFEST, _FORMAT, _VERSION = "manifest.json", "pantelos-bundle", 1
_NEVER = (2000, 1, 1, 0, 0, 0)  # so that the same study gives the same file
_STRETCH = "stretch.h5"
_LARGEST = 1 << 38  # bytes that a bundle may unpack to


class Packed(msgspec.Struct, frozen=True):
    """One file of a bundle."""

    name: str
    blake2b: str
    size: int


class Manifest(msgspec.Struct, frozen=True):
    """What a bundle says of itself."""

    format: str
    version: int
    program: str
    title: str
    study: str
    files: tuple[Packed, ...]


def write_bundle(
    evaluation: Evaluation, notices: Sequence[Notice], to: Path, interval: str | None = None, progress: Progress | None = None
) -> list[str]:
    """Write a bundle; return the names of what is in it.

    Raises
    ------
    StudyError
        When the study has no record, or the interval is not there.
    FileAccessError
        When something cannot be read or written; what was there before is untouched.
    """
    progress = progress or Progress()
    if evaluation.study.record is None:
        raise StudyError("This study has no record, so there is nothing to bundle.")
    with TemporaryDirectory(prefix="pantelos-") as folder:
        room = Path(folder)
        study = _stretch(evaluation, room, interval, progress.part(0.0, 0.3)) if interval else _whole(evaluation.study, room)
        name = f"{to.stem}{SUFFIX}"
        save_study(study, room / name)
        composed = compose(evaluation, notices, progress.part(0.3, 0.7))
        if composed.sheets:
            write_report(composed, evaluation, room / "report.html")
            write_report(composed, evaluation, room / "report.pdf")
        tables = build_tables(evaluation, None, None, progress.part(0.7, 0.9))
        for suffix in (".json", ".xlsx"):
            write_tables(tables, room / f"tables{suffix}")
        content, names = _packed(room, study.title, name, progress.part(0.9, 1.0))
    write_whole(to, content)
    return names


def _whole(study: Study, room: Path) -> Study:
    """Copy the recordings of a study into a folder; return the study that reads them there."""
    assert study.record is not None
    files, taken = [], set[str]()
    for at, source in enumerate(study.record.files):
        path = Path(source.path)
        name = path.name if path.name not in taken else f"{at}-{path.name}"
        taken.add(name)
        try:
            (room / name).write_bytes(path.read_bytes())
            for beside in {*_beside(path), *files_beside(path)} - {path}:
                (room / beside.name.replace(path.stem, Path(name).stem, 1)).write_bytes(beside.read_bytes())
        except OSError as cause:
            raise access_error(path, "read", cause) from cause
        files.append(replace(source, path=str(room / name)))
    return replace(study, record=replace(study.record, files=tuple(files)))


def _beside(path: Path) -> list[Path]:
    """Return files that may belong to a recording by their names."""
    tables = path.suffix.lower() in (".csv", ".txt", ".tsv")
    kinds = () if tables else (".cfg", ".dat", ".hdr", ".inf", ".json")
    return [one for one in path.parent.glob(f"{path.stem}.*") if one.suffix.lower() in kinds and one.is_file()]


def _stretch(evaluation: Evaluation, room: Path, interval: str, progress: Progress) -> Study:
    """Write the samples of an interval as a recording; return a study of it with the same channels."""
    place = evaluation.times.interval(interval)
    names = [setup.name for setup in evaluation.study.channels]
    part = evaluation.on(replace(evaluation.study, active=None if place.name == "whole record" else place.name))
    path = room / _STRETCH
    write_samples(part, path, names, interval, False, None, progress)
    study, _ = import_recording(Study(title=f"{evaluation.study.title}, {place.name}"), path, preview(path).dialect)
    return study


def _packed(room: Path, title: str, study: str, progress: Progress) -> tuple[bytes, list[str]]:
    out = io.BytesIO()
    paths = sorted(path for path in room.iterdir() if path.is_file())
    files = []
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=6) as archive:
        for k, path in enumerate(paths):
            content = path.read_bytes()
            files.append(Packed(path.name, _mark(content), len(content)))
            archive.writestr(_entry(path.name), content)
            progress.at((k + 1) / len(paths))
        manifest = Manifest(_FORMAT, _VERSION, f"Pantelos {__version__}", title, study, tuple(files))
        archive.writestr(_entry(_MANIFEST), msgspec.json.format(msgspec.json.encode(manifest), indent=1))
    return out.getvalue(), [path.name for path in paths]


def _entry(name: str) -> zipfile.ZipInfo:
    entry = zipfile.ZipInfo(name, _NEVER)
    entry.compress_type = zipfile.ZIP_DEFLATED
    return entry


def _mark(content: bytes) -> str:
    return hashlib.blake2b(content, digest_size=32).hexdigest()


def unpack_bundle(path: Path, folder: Path) -> Path:
    """Verify a bundle and unpack it into a folder; return the path of its study.

    Raises
    ------
    StudyError
        When it is none, or a file in it is not what the manifest says; nothing is left behind then.
    FileAccessError
        When it cannot be read, or the folder cannot be written.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            manifest = msgspec.json.decode(archive.read(_MANIFEST), type=Manifest)
            if manifest.format != _FORMAT or manifest.version > _VERSION:
                raise StudyError(f"{path.name} is a bundle of a newer kind. Open it with a newer version.")
            _check_names(path, manifest)
            contents = {one.name: _verified(path, archive, one) for one in manifest.files}
    except (zipfile.BadZipFile, KeyError, msgspec.DecodeError, EOFError, ValueError) as cause:
        raise StudyError(f"{path.name} is no bundle, or is damaged: {cause}. Ask for it again.") from cause
    except OSError as cause:
        raise access_error(path, "read", cause) from cause
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as cause:
        raise access_error(folder, "written", cause) from cause
    for name, content in contents.items():
        write_whole(folder / name, content)
    study = folder / manifest.study
    if not study.is_file():
        raise StudyError(f"{path.name} names the study {manifest.study}, which is not in it. Ask for it again.")
    return study


def opened_bundle(path: Path) -> Path:
    """Return the path of the study in a bundle, unpacked into the folder of its name beside it.

    Where that is there already, the study in it is opened as it was left; the bundle is verified all the same.
    """
    folder = path.with_suffix("")
    if not folder.exists():
        return unpack_bundle(path, folder)
    with TemporaryDirectory(prefix="pantelos-") as other:
        name = unpack_bundle(path, Path(other)).name
    there = folder / name
    if not there.is_file():
        raise StudyError(f"{folder} is there and holds no {name}. Move it away, or move the bundle, and open it again.")
    return there


def _check_names(path: Path, manifest: Manifest) -> None:
    for one in manifest.files:
        if PurePosixPath(one.name).name != one.name or one.name in ("", ".", "..") or "\\" in one.name:
            raise StudyError(f'{path.name} wants to write "{one.name}", which lies outside its folder. It was not unpacked.')
    if sum(one.size for one in manifest.files) > _LARGEST:
        raise StudyError(f"{path.name} would unpack to more than can be. It was not unpacked.")


def _verified(path: Path, archive: zipfile.ZipFile, one: Packed) -> bytes:
    if archive.getinfo(one.name).file_size != one.size:
        raise StudyError(f"{one.name} in {path.name} is not as long as the manifest says. Ask for the bundle again.")
    content = archive.read(one.name)
    if _mark(content) != one.blake2b:
        raise StudyError(f"{one.name} in {path.name} has been changed since the bundle was written. Ask for it again.")
    return content
