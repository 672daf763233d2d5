"""The logo of a report: a PNG or SVG picture, taken into the study as it is."""

import re
from pathlib import Path
from xml.etree import ElementTree

from msgspec.structs import replace

from pantelos.errors import StudyError, access_error
from pantelos.study.model import Study
from pantelos.study.report import Logo

_LARGEST = 256 << 10  # bytes
_PNG = b"\x89PNG\r\n\x1a\n"
_UNLIKE = re.compile(rb"<(style|mask|filter|pattern|foreignObject|animate\w*)\b", re.IGNORECASE)  # that not every form draws
_ELSEWHERE = re.compile(rb"<!(?:DOCTYPE|ENTITY)|<script|(?:href|src)\s*=\s*[\"'](?!#|data:)", re.IGNORECASE)


def set_logo(study: Study, path: Path | None) -> Study:
    """Return the study with the picture in a file at the head of its title page; with none for None.

    Raises
    ------
    FileAccessError
        When the file cannot be read.
    StudyError
        When it is no picture that can stand there.
    """
    return replace(study, report=replace(study.report, logo=None if path is None else logo_in(path)))


def logo_in(path: Path) -> Logo:
    """Return the picture in a file; raises as `set_logo` does."""
    try:
        size = path.stat().st_size
        if size > _LARGEST:
            raise StudyError(f"{path.name} has {size >> 10} KB; a logo has {_LARGEST >> 10} KB at most. Write it smaller.")
        data = path.read_bytes()
    except OSError as cause:
        raise access_error(path, "read", cause) from cause
    if data.startswith(_PNG) and len(data) > 24:
        width, height = (float(int.from_bytes(data[at : at + 4], "big")) for at in (16, 20))
        kind = "png"
    else:
        width, height = _size_of_svg(path, data)
        kind = "svg"
    if not (0 < width < 1e5 and 0 < height < 1e5):
        raise StudyError(f"{path.name} says no size. Write it with a width and a height.")
    return Logo("png" if kind == "png" else "svg", data, width, height)


def _size_of_svg(path: Path, data: bytes) -> tuple[float, float]:
    if _ELSEWHERE.search(data):
        raise StudyError(f"{path.name} holds scripts, entities or parts that lie elsewhere. Write it as a plain drawing.")
    unlike = _UNLIKE.search(data)
    if unlike is not None:
        raise StudyError(
            f"{path.name} has a <{unlike[1].decode()}>, which not every form of a report draws. Write it as plain shapes."
        )
    try:
        root = ElementTree.fromstring(data)
    except ElementTree.ParseError as cause:
        raise StudyError(f"{path.name} is neither a PNG nor an SVG picture. Take one of these.") from cause
    if root.tag.rpartition("}")[2] != "svg":
        raise StudyError(f"{path.name} is neither a PNG nor an SVG picture. Take one of these.")
    _check_drawn(path, data)
    box = re.findall(r"[-\d.eE]+", root.get("viewBox", ""))
    if len(box) == 4:
        return float(box[2]), float(box[3])
    sizes = [re.match(r"[\d.]+", root.get(name, "")) for name in ("width", "height")]
    width, height = (float(found.group()) if found is not None else 0.0 for found in sizes)
    return width, height


def _check_drawn(path: Path, data: bytes) -> None:
    """Refuse what the PDF could not draw."""
    from fpdf.svg import SVGObject  # here, for the sake of a quick start

    try:
        SVGObject(data)
    except Exception as cause:  # whatever its parser makes of paths and numbers
        raise StudyError(f"{path.name} cannot be drawn: {cause}. Write it as plain shapes.") from cause
