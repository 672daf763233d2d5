"""Pictures of lanes and panels for reports: PNG, SVG, clipboard; always on paper, with a caption."""

from collections.abc import Callable
from pathlib import Path

import msgspec
from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QGuiApplication, QImage, QPainter
from PyQt6.QtSvg import QSvgGenerator

from pantelos.desktop.drawing import painting
from pantelos.desktop.theme import LIGHT
from pantelos.errors import StudyError
from pantelos.saving import write_whole

_CAPTION = 24
_SHARPNESS = 2  # pixels of a PNG per pixel of the window


class CaptionedPicture(msgspec.Struct, frozen=True):
    """A picture to hand over: its caption, its size, and what draws it."""

    caption: str
    size: QSize
    draw: Callable[[QPainter, QRectF], None]

    @property
    def whole(self) -> QSize:
        """The size with the caption."""
        return QSize(self.size.width(), self.size.height() + _CAPTION)

    def paint(self, painter: QPainter) -> None:
        """Paint ground, figure and caption."""
        painter.fillRect(QRectF(0, 0, self.whole.width(), self.whole.height()), QColor(LIGHT.ground))
        painter.save()
        self.draw(painter, QRectF(0, 0, self.size.width(), self.size.height()))
        painter.restore()
        painter.setFont(painting.tabular(9))
        painter.setPen(QColor(LIGHT.soft))
        box = QRectF(10, self.size.height(), self.size.width() - 20, _CAPTION)
        painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, self.caption)


def image_of(figure: CaptionedPicture) -> QImage:
    """Return a figure as an image."""
    image = QImage(figure.whole * _SHARPNESS, QImage.Format.Format_ARGB32_Premultiplied)
    image.setDevicePixelRatio(_SHARPNESS)
    painter = QPainter(image)
    figure.paint(painter)
    painter.end()
    return image


def svg_of(figure: CaptionedPicture) -> bytes:
    """Return a figure as SVG: axes, lines and text stay lines and text."""
    held = QByteArray()
    buffer = QBuffer(held)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    generator = QSvgGenerator()
    generator.setOutputDevice(buffer)
    generator.setSize(figure.whole)
    generator.setViewBox(QRect(0, 0, figure.whole.width(), figure.whole.height()))
    generator.setTitle(figure.caption)
    painter = QPainter(generator)
    figure.paint(painter)
    painter.end()
    buffer.close()
    return bytes(held.data())


def save_figure(figure: CaptionedPicture, path: Path) -> None:
    """Write a figure as the suffix of the file says, whole or not at all.

    Raises
    ------
    StudyError
        When the suffix is neither .png nor .svg.
    FileAccessError
        When it cannot be written.
    """
    if path.suffix.lower() == ".svg":
        write_whole(path, svg_of(figure))
        return
    if path.suffix.lower() != ".png":
        raise StudyError(f'Pictures are written as .png or .svg, not as "{path.suffix}". Choose one of them.')
    held = QByteArray()
    buffer = QBuffer(held)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image_of(figure).save(buffer, "PNG")
    write_whole(path, bytes(held.data()))


def copy_figure(figure: CaptionedPicture) -> None:
    """Put a figure on the clipboard."""
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    clipboard.setImage(image_of(figure))
