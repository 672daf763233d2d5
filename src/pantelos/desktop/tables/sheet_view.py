"""A sheet on the screen: it reads like a page, and every number explains itself where it is clicked."""

from collections.abc import Callable, Iterable
from html import escape

from PyQt6.QtCore import QMimeData, QPoint, QRectF, QSize, Qt, QUrl, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QImage, QPainter, QResizeEvent, QTextDocument, QWheelEvent
from PyQt6.QtWidgets import QApplication, QMenu, QTextBrowser, QWidget

from pantelos.desktop.drawing.qt_paper import QtPaper, box_of
from pantelos.desktop.theme import Theme
from pantelos.paper.paper import Ink, Role
from pantelos.sheets.bars import HEIGHT, WIDTH, draw_bar
from pantelos.sheets.blocks import (
    About,
    Bar,
    Block,
    Cell,
    CellGrid,
    FactList,
    Figure,
    GridColumn,
    GridRow,
    Picture,
    SectionHeading,
    Sheet,
    Words,
)
from pantelos.sheets.fitting import TypeSetting, grouped, groups, parted

_SETTING = TypeSetting(12.0, 9.0, 12.0, 6.0, 1.0)
_MARGIN = 22
_SCROLL = 16
_STEP = 40  # pixels of width from which on grids are fitted anew
_USUAL_ROOM, _LARGEST_UNASKED = 980, 1.35  # a wider page is written larger, up to so many times
_ZOOM, _SMALLEST, _LARGEST = 1.1, 0.6, 3.0  # by a step of the wheel


class SheetView(QTextBrowser):
    """Shows one sheet."""

    explain = pyqtSignal(object, QPoint)  # what a number is about, where
    chosen = pyqtSignal(object)  # a number that is wanted on the user's own sheet
    go = pyqtSignal(float, float)  # a stretch of the record that is wanted in the traces, s

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.sheet: Sheet | None = None
        self._abouts: list[About] = []
        self._images: list[QImage] = []
        self._fitted = 0
        self._zoomed = self._zoom = 1.0  # by the user, and with what the width adds
        self.setOpenLinks(False)
        self.setOpenExternalLinks(False)
        self.setFrameShape(QTextBrowser.Shape.NoFrame)
        self.setAccessibleName("Sheet")
        self.anchorClicked.connect(self._clicked)
        document = self.document()
        assert document is not None
        document.setDocumentMargin(_MARGIN)

    def show_sheet(self, sheet: Sheet | None, said: str = "") -> None:
        """Show another sheet, or why there is none."""
        self.sheet = sheet
        self._write(said)

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self.theme = theme
        self._write("")

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Fit grids to another width."""
        super().resizeEvent(event)
        if self.sheet is not None and abs(self.width() - self._fitted) >= _STEP:
            self._write("")

    def _write(self, said: str) -> None:
        self._abouts, self._images, self._fitted = [], [], self.width()
        self._zoom = self._zoomed * min(max((self.width() - 2 * _MARGIN - _SCROLL) / _USUAL_ROOM, 1.0), _LARGEST_UNASKED)
        scroll = self.verticalScrollBar()
        before = scroll.value() if scroll is not None else 0
        if self.sheet is None:
            self.setHtml(f'<p style="color:{self.theme.soft}">{escape(said)}</p>')
            return
        document = self.document()
        assert document is not None
        body = "".join(self._block(block, document) for block in self._parts(self.sheet.blocks))
        head = f'<p style="font-size:{self._px(19)}; margin:0"><b>{escape(self.sheet.title)}</b></p>'
        head += (
            f'<p style="color:{self.theme.soft}; font-size:{self._px(11)}; margin:2px 0 12px 0">{escape(self.sheet.subtitle)}</p>'
        )
        self.setHtml(f'<body style="color:{self.theme.ink}; font-size:{self._px(12)}">{head}{body}</body>')
        if scroll is not None:
            scroll.setValue(before)

    def _room(self) -> float:
        """Return the width of the page, in pixels before it is enlarged."""
        return max((self.width() - 2 * _MARGIN - _SCROLL) / self._zoom, 300.0)

    def _px(self, size: float) -> str:
        return f"{round(size * self._zoom)}px"

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """With Ctrl write the sheet larger or smaller."""
        if event is None or not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            super().wheelEvent(event)
            return
        self._zoomed = min(max(self._zoomed * _ZOOM ** (event.angleDelta().y() / 120), _SMALLEST), _LARGEST)
        if self.sheet is not None:
            self._write("")
        event.accept()

    def _parts(self, blocks: Iterable[Block]) -> list[Block]:
        found: list[Block] = []
        for block in blocks:
            found += parted(block, self._room(), _SETTING) if isinstance(block, CellGrid) else [block]
        return found

    def _block(self, block: Block, document: QTextDocument) -> str:
        if isinstance(block, SectionHeading):
            return f'<p style="font-size:{self._px(14)}; margin:16px 0 4px 0"><b>{escape(block.text)}</b></p>'
        if isinstance(block, Words):
            text = f"<b>{escape(block.text)}</b>" if block.bold else escape(block.text)
            return f'<p style="color:{self._colour(block.ink)}; margin:3px 0">{text}</p>'
        if isinstance(block, FactList):
            rows = "".join(
                f'<tr><td style="color:{self.theme.soft}">{escape(label)}</td><td>{escape(text)}</td></tr>'
                for label, text in block.pairs
            )
            return f'<table cellspacing="0" cellpadding="3">{rows}</table>'
        if isinstance(block, Figure):
            caption = (
                f'<p style="color:{self.theme.soft}; font-size:{self._px(11)}; margin:10px 0 2px 0">{escape(block.title)}</p>'
            )
            return f'{caption}<p style="margin:0 0 8px 0">{self._figure(block, document)}</p>'
        if isinstance(block, Picture):
            sharp = self.devicePixelRatioF() * self._zoom
            size = QSize(round(block.width * sharp), round(block.height * sharp))
            kept, smooth = Qt.AspectRatioMode.IgnoreAspectRatio, Qt.TransformationMode.SmoothTransformation
            image = QImage.fromData(block.data).scaled(size, kept, smooth)
            image.setDevicePixelRatio(sharp)
            return f'<p style="margin:0 0 8px 0">{self._resource(image, block.width, block.height, document)}</p>'
        return self._grid(block, document)

    def _colour(self, ink: Ink) -> str:
        return str(getattr(self.theme, ink.value)) if isinstance(ink, Role) else self.theme.conductor(ink).name()

    def _image(self, width: float, height: float, document: QTextDocument, draw: Callable[[QtPaper, QRectF], None]) -> str:
        """Draw something and return the picture of it as part of the page."""
        sharp = self.devicePixelRatioF() * self._zoom
        image = QImage(round(width * sharp), round(height * sharp), QImage.Format.Format_ARGB32_Premultiplied)
        image.setDevicePixelRatio(sharp)
        image.fill(Qt.GlobalColor.transparent)
        painter = QPainter(image)
        draw(QtPaper(painter, self.theme), QRectF(0, 0, width, height))
        painter.end()
        return self._resource(image, width, height, document)

    def _resource(self, image: QImage, width: float, height: float, document: QTextDocument) -> str:
        """Return a picture as part of the page."""
        name = f"drawn:{len(self._images)}"
        self._images.append(image)
        document.addResource(QTextDocument.ResourceType.ImageResource.value, QUrl(name), image)
        return f'<img src="{name}" width="{round(width * self._zoom)}" height="{round(height * self._zoom)}">'

    def _figure(self, block: Figure, document: QTextDocument) -> str:
        width = min(block.width, self._room())
        return self._image(width, block.height, document, lambda paper, rect: block.draw(paper, box_of(rect)))

    def _grid(self, grid: CellGrid, document: QTextDocument) -> str:
        head = ""
        if grouped(grid):
            cells = "".join(
                f'<td colspan="{n}" align="center" style="color:{self.theme.edge}; border-bottom:1px solid {self.theme.rule}">'
                f"<b>{escape(title)}</b></td>" if title else f'<td colspan="{n}"></td>'
                for title, n in groups(grid)
            )  # fmt: skip
            head = f"<tr>{cells}</tr>"
        titles = "".join(
            f'<td align="{"right" if c.right else "left"}" style="color:{self._colour(c.ink)}"><b>{escape(c.title)}</b></td>'
            for c in grid.columns
        )
        rows, shaded = [], False
        for row in grid.rows:
            if row.group:
                over = f'colspan="{len(grid.columns)}" style="color:{self.theme.soft}; padding-top:9px"'
                rows.append(f"<tr><td {over}>{escape(row.group)}</td></tr>")
                shaded = False
                continue
            rows.append(self._row(row, grid.columns, document, self.theme.panel if shaded else ""))
            shaded = not shaded
        return f'<table cellspacing="0" cellpadding="3" style="margin-bottom:10px">{head}<tr>{titles}</tr>{"".join(rows)}</table>'

    def _row(self, row: GridRow, columns: Iterable[GridColumn], document: QTextDocument, ground: str) -> str:
        cells = []
        shade = f' bgcolor="{ground}"' if ground else ""
        for cell, column in zip(row.cells, columns, strict=True):
            side = "right" if column.right else "left"
            look = f'style="color:{self._colour(cell.ink)}; padding-right:9px"'
            cells.append(f'<td align="{side}"{shade} {look}>{self._cell(cell, document)}</td>')
        return f"<tr>{''.join(cells)}</tr>"

    def _cell(self, cell: Cell, document: QTextDocument) -> str:
        if cell.bar is not None:
            return self._bar(cell.bar, document)
        text = f"<b>{escape(cell.text)}</b>" if cell.bold else escape(cell.text)
        look = f'style="color:{self._colour(cell.ink)}; text-decoration:none"'
        if cell.about is not None and cell.text:
            self._abouts.append(cell.about)
            text = f'<a href="about:{len(self._abouts) - 1}" {look}>{text}</a>'
        elif cell.stretch_s is not None:
            text = f'<a href="at:{cell.stretch_s[0]!r};{cell.stretch_s[1]!r}" {look}>{text}</a>'
        if cell.within:
            text += f'<span style="color:{self.theme.soft}; font-size:{self._px(9)}"> {escape(cell.within)}</span>'
        return text

    def _bar(self, bar: Bar, document: QTextDocument) -> str:
        return self._image(WIDTH, HEIGHT, document, lambda paper, rect: draw_bar(paper, box_of(rect), bar))

    def _about(self, url: str) -> About | None:
        kind, _, number = url.partition(":")
        return self._abouts[int(number)] if kind == "about" and number.isdigit() and int(number) < len(self._abouts) else None

    def _clicked(self, url: QUrl) -> None:
        kind, _, place = url.toString().partition(":")
        about = self._about(url.toString())
        if kind == "at":
            start, stop = (float(part) for part in place.split(";"))
            self.go.emit(start, stop)
        elif about is not None:
            self.explain.emit(about, self.cursor().pos())

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Offer a number for the user's own sheet."""
        if event is None:
            return
        about = self._about(self.anchorAt(event.pos()))
        menu = QMenu(self)
        if about is not None:
            put = menu.addAction("Put on my own sheet")
            assert put is not None
            put.triggered.connect(lambda: self.chosen.emit(about))
        copy = menu.addAction("Copy sheet with units")
        assert copy is not None
        copy.triggered.connect(self.copy)
        menu.exec(event.globalPos())

    def copied(self) -> QMimeData:
        """Return the sheet as text with tabs and as rich text."""
        data = QMimeData()
        lines = [self.sheet.title, self.sheet.subtitle] if self.sheet is not None else []
        for block in self.sheet.blocks if self.sheet is not None else ():
            if isinstance(block, CellGrid):
                lines.append("\t".join(f"{c.title} {c.group}".strip() for c in block.columns))
                lines += [
                    row.group or "\t".join(f"{cell.text} {cell.within}".strip() for cell in row.cells) for row in block.rows
                ]
            elif isinstance(block, FactList):
                lines += [f"{label}\t{text}" for label, text in block.pairs]
            elif isinstance(block, SectionHeading | Words):
                lines.append(block.text)
        data.setText("\n".join(lines))
        data.setHtml(self.toHtml())
        return data

    def copy(self) -> None:
        """Copy the sheet."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setMimeData(self.copied())
