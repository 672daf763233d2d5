"""How wide words are in the fonts that pages are set in, without a toolkit."""

from functools import cache
from pathlib import Path

from pantelos.paper.paper import Box

FONTS = {False: Path(__file__).parent / "fonts" / "DejaVuSans.ttf", True: Path(__file__).parent / "fonts" / "DejaVuSans-Bold.ttf"}
_LINE, _ASCENT = 1.17, 0.93  # height of a line, and of what stands above its foot, of the size of the letters


@cache
def _advances(bold: bool) -> tuple[dict[int, float], float]:
    """Return the width of each letter by its code point, of one point of size, and that of a missing one."""
    from fontTools.ttLib import TTFont

    with TTFont(FONTS[bold], lazy=True) as font:
        per_em, widths = font["head"].unitsPerEm, font["hmtx"].metrics
        known = {code: widths[name][0] / per_em for code, name in font.getBestCmap().items()}
        return known, widths[".notdef"][0] / per_em


def width(text: str, size: float, bold: bool = False) -> float:
    """Return how wide a text is, in the unit of its size."""
    known, missing = _advances(bold)
    return size * sum(known.get(ord(letter), missing) for letter in text)


def height(size: float) -> float:
    """Return how high a line is."""
    return _LINE * size


def placed(box: Box, text: str, size: float, bold: bool = False, wrap: bool = False) -> list[tuple[float, str]]:
    """Return the lines of a text in a box and where each stands: in the middle of its height, or from its top where wrapped."""
    lines = wrapped(text, box.width, size, bold) if wrap else [shortened(text, box.width + 0.5, size, bold)]
    top = box.top if wrap else box.top + (box.height - height(size)) / 2
    return [(top + k * height(size) + _ASCENT * size, line) for k, line in enumerate(lines)]


def shortened(text: str, room: float, size: float, bold: bool = False) -> str:
    """Return a text that fits, with an ellipsis where it does not."""
    if width(text, size, bold) <= room:
        return text
    while text and width(text + "…", size, bold) > room:
        text = text[:-1]
    return f"{text}…" if text else ""


def wrapped(text: str, room: float, size: float, bold: bool = False) -> list[str]:
    """Return a text in lines that fit; words that are too long are broken."""
    lines: list[str] = []
    for paragraph in text.split("\n"):
        line = ""
        for word in paragraph.split(" "):
            wanted = f"{line} {word}" if line else word
            if width(wanted, size, bold) <= room or not line:
                line = wanted
            else:
                lines.append(line)
                line = word
            while width(line, size, bold) > room and len(line) > 1:
                cut = next(k for k in range(len(line), 0, -1) if k == 1 or width(line[:k], size, bold) <= room)
                lines.append(line[:cut])
                line = line[cut:]
        lines.append(line)
    return lines
