"""Where a widget writes what, whatever paints it: found by rendering it as a vector picture and reading the words in it."""

import re
from xml.etree import ElementTree

import msgspec
from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QPoint, QRect
from PyQt6.QtGui import QFont, QFontMetricsF, QPainter
from PyQt6.QtSvg import QSvgGenerator
from PyQt6.QtWidgets import QAbstractItemView, QLineEdit

TOUCHING = 2.5  # pixels that boxes of words may share: ascenders and descenders rarely meet
_SVG = "{http://www.w3.org/2000/svg}"


class Word(msgspec.Struct, frozen=True):
    """A piece of text and its box in the widget."""

    text: str
    left: float
    top: float
    right: float
    bottom: float

    def meets(self, other: "Word") -> bool:
        """Return whether two boxes overlap."""
        across = min(self.right, other.right) - max(self.left, other.left)
        return across > TOUCHING and min(self.bottom, other.bottom) - max(self.top, other.top) > TOUCHING


def words_of(widget) -> list[Word]:
    """Return all words a widget and its children write, in its own pixels."""
    held = QByteArray()
    buffer = QBuffer(held)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    generator = QSvgGenerator()
    generator.setOutputDevice(buffer)
    generator.setSize(widget.size())
    generator.setViewBox(QRect(0, 0, widget.width(), widget.height()))
    painter = QPainter(generator)
    widget.render(painter, QPoint())
    painter.end()
    found: list[Word] = []
    _walk(ElementTree.fromstring(bytes(held.data())), (1.0, 0.0, 0.0), found)
    return found


def _walk(node, moved, found) -> None:
    match = re.match(r"matrix\(([^)]*)\)", node.get("transform", ""))
    if match:
        a, _, _, _, e, f = map(float, match[1].split(","))
        moved = (a, e, f)
    if node.tag == f"{_SVG}text" and (text := "".join(node.itertext()).strip()):
        font = QFont(node.get("font-family", "").strip("'"))
        font.setPixelSize(max(round(float(node.get("font-size", "12"))), 1))
        font.setWeight(QFont.Weight(int(node.get("font-weight", "400"))))
        metrics = QFontMetricsF(font)
        scale, dx, dy = moved
        left, base = dx + scale * float(node.get("x")), dy + scale * float(node.get("y"))
        wide, up, down = metrics.horizontalAdvance(text), metrics.capHeight(), metrics.descent() * 0.5
        found.append(Word(text, left, base - scale * up, left + scale * wide, base + scale * down))
    for child in node:
        _walk(child, moved, found)


def faults(widget) -> list[str]:
    """Return what is wrong with the words of a widget: outside of it, or over each other."""
    typed = {line.text() for line in widget.findChildren(QLineEdit)}  # a line that is typed in scrolls its text
    words = [word for word in words_of(widget) if word.text not in typed]
    below = 1000 if widget.findChildren(QAbstractItemView) else 2  # a list is scrolled upwards and downwards
    said = [
        f"outside: {w.text!r} {w.left:.0f}..{w.right:.0f} x {w.top:.0f}..{w.bottom:.0f} in {widget.width()}x{widget.height()}"
        for w in words
        if w.left < -1 or w.top < -2 or w.right > widget.width() + 1 or w.bottom > widget.height() + below
    ]
    words.sort(key=lambda w: w.top)
    for k, one in enumerate(words):
        for other in words[k + 1 :]:
            if other.top > one.bottom:
                break
            if one.meets(other):
                said.append(f"over each other: {one.text!r} and {other.text!r} at {one.left:.0f}, {one.top:.0f}")
    return said
