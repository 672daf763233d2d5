"""The logo of a report: a PNG or SVG picture, taken into the study as it is."""

import io
import re
from pathlib import Path
from typing import Literal
from xml.etree import ElementTree

import msgspec
from msgspec.structs import replace

from pantelos.errors import StudyError, access_error
from pantelos.study.model import Study

_LARGEST = 256 << 10  # bytes
_MOST_PIXELS = 8000
_PNG = b"\x89PNG\r\n\x1a\n"
_UNLIKE = re.compile(rb"<(style|mask|filter|pattern|foreignObject|animate\w*)\b", re.IGNORECASE)  # that not every form draws
_ELSEWHERE = re.compile(rb"<!(?:DOCTYPE|ENTITY)|<script|(?:href|src)\s*=\s*[\"'](?!#|data:)", re.IGNORECASE)


class Logo(msgspec.Struct, frozen=True):
    """What a picture is, and its own size in pixels."""

    kind: Literal["png", "svg"]
    width: float
    height: float


def set_logo(study: Study, path: Path | None) -> Study:
    """Return the study with the picture in a file at the head of its title page; with none for None.

    Raises
    ------
    FileAccessError
        When the file cannot be read.
    StudyError
        When it is no picture that can stand there.
    """
    return replace(study, report=replace(study.report, logo=b"" if path is None else _read(path)))


def _read(path: Path) -> bytes:
    try:
        size = path.stat().st_size
        if size > _LARGEST:
            raise StudyError(f"{path.name} has {size >> 10} KB; a logo has {_LARGEST >> 10} KB at most. Write it smaller.")
        data = path.read_bytes()
    except OSError as cause:
        raise access_error(path, "read", cause) from cause
    logo_of(data, path.name)
    return data


def logo_of(data: bytes, name: str = "The logo") -> Logo:
    """Return what a picture is.

    Raises
    ------
    StudyError
        When it is none, or none that every form of a report draws.
    """
    kind: Literal["png", "svg"] = "png" if data.startswith(_PNG) else "svg"
    width, height = _size_of_png(name, data) if kind == "png" else _size_of_svg(name, data)
    if not (0 < width <= _MOST_PIXELS and 0 < height <= _MOST_PIXELS):
        raise StudyError(f"{name} is {width:g} by {height:g} pixels; a logo has 1 to {_MOST_PIXELS} either way. Write it so.")
    return Logo(kind, width, height)


def _size_of_png(name: str, data: bytes) -> tuple[float, float]:
    from PIL import Image  # here, for the sake of a quick start

    try:
        with Image.open(io.BytesIO(data)) as image:
            width, height = image.size
            if max(width, height) <= _MOST_PIXELS:
                image.load()
    except (OSError, SyntaxError, ValueError) as cause:
        raise StudyError(f"{name} is a damaged PNG picture. Write or copy it again.") from cause
    return float(width), float(height)


def _size_of_svg(name: str, data: bytes) -> tuple[float, float]:
    if _ELSEWHERE.search(data):
        raise StudyError(f"{name} holds scripts, entities or parts that lie elsewhere. Write it as a plain drawing.")
    unlike = _UNLIKE.search(data)
    if unlike is not None:
        found = f"{name} has a <{unlike[1].decode()}>, which not every form of a report draws"
        raise StudyError(f"{found}. Write it as plain shapes.")
    try:
        root = ElementTree.fromstring(data)
    except ElementTree.ParseError as cause:
        raise StudyError(f"{name} is neither a PNG nor an SVG picture. Take one of these.") from cause
    if root.tag.rpartition("}")[2] != "svg":
        raise StudyError(f"{name} is neither a PNG nor an SVG picture. Take one of these.")
    _check_drawn(name, data)
    box = re.findall(r"[-\d.eE]+", root.get("viewBox", ""))
    if len(box) == 4:
        return float(box[2]), float(box[3])
    sizes = [re.match(r"[\d.]+", root.get(side, "")) for side in ("width", "height")]
    width, height = (float(found.group()) if found is not None else 0.0 for found in sizes)
    return width, height


def _check_drawn(name: str, data: bytes) -> None:
    """Refuse what the PDF could not draw."""
    from fpdf.svg import SVGObject  # here, for the sake of a quick start

    try:
        SVGObject(data)
    except Exception as cause:  # whatever its parser makes of paths and numbers
        raise StudyError(f"{name} cannot be drawn: {cause}. Write it as plain shapes.") from cause
