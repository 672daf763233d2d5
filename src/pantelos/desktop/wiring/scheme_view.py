"""The drawn connection: channels are dropped on its sockets, or chosen from a socket's menu."""

from PyQt6.QtCore import QMimeData, QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QDrag,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDragMoveEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PyQt6.QtWidgets import QWidget

from pantelos.desktop.document import Document
from pantelos.desktop.drawing import painting
from pantelos.desktop.theme import Theme
from pantelos.desktop.traces.lane_changes import CHANNEL_MIME
from pantelos.power.wirings import Socket, wiring
from pantelos.power.wirings.scheme import HEIGHT, WIDTH, PlacedSocket
from pantelos.study import operations as op
from pantelos.study.suggestion import free_channels, misplaced, socket_for

_CAPSULE = (62.0, 26.0)
_WIDEST_CHIP = 170.0


class SchemeView(QWidget):
    """Paints one connection and the channels that have no place in it yet."""

    socket_chosen = pyqtSignal(str, QPoint)

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._theme = document, theme
        self.connection: str | None = None
        self._over: str | None = None
        self._held: tuple[str, QPointF] | None = None
        self._focused = 0
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(QSize(480, 250))
        self.setAccessibleName("Drawn connection with sockets")
        self.setToolTip("Drop a channel on a socket, or click a socket to choose one; arrow keys and Enter work too")

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self._theme = theme
        self.update()

    def _scale(self) -> tuple[float, float, float]:
        room = self.height() - 66
        factor = min(self.width() / WIDTH, room / HEIGHT, 1.35)
        return factor, (self.width() - WIDTH * factor) / 2, 4.0

    def _at(self, x: float, y: float) -> QPointF:
        factor, left, top = self._scale()
        return QPointF(left + x * factor, top + y * factor)

    def sockets(self) -> list[tuple[PlacedSocket, QRectF]]:
        """Return every socket with its box in the widget."""
        if self.connection is None:
            return []
        drawn = wiring(self._document.study.connection(self.connection).wiring).scheme
        width, height = _CAPSULE
        found = []
        for placed in drawn.sockets:
            centre = self._at(placed.x, placed.y)
            found.append((placed, QRectF(centre.x() - width / 2, centre.y() - height / 2, width, height)))
        return found

    def chips(self) -> list[tuple[str, QRectF]]:
        """Return the free channels with their boxes along the foot."""
        painterless = self.fontMetrics()
        x, y, found = 18.0, self.height() - 34.0, []
        for name in free_channels(self._document.study):
            width = min(max(painterless.horizontalAdvance(name) + 26.0, 54.0), _WIDEST_CHIP)
            if x + width > self.width() - 10:
                break
            found.append((name, QRectF(x, y, width, 26.0)))
            x += width + 8
        return found

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint supply, conductors, sockets, load, and the channels not placed."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self._theme.ground))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        if self.connection is not None:
            self._paint_connection(painter)
        self._paint_chips(painter)

    def _paint_connection(self, painter: QPainter) -> None:
        theme = self._theme
        connection = self._document.study.connection(self.connection or "")
        kind = wiring(connection.wiring)
        drawn = kind.scheme
        for line in drawn.conductors:
            painter.setPen(QPen(theme.conductor(line.carries), 2))
            painter.drawLine(self._at(48, line.y), self._at(480, line.y))
            painter.setFont(painting.tabular(11, bold=True))
            place = self._at(14, line.y)
            painter.drawText(QRectF(place.x() - 4, place.y() - 11, 44, 22), Qt.AlignmentFlag.AlignVCenter, line.name)
        top, bottom = drawn.conductors[0].y, drawn.conductors[-1].y
        for x, first, last in drawn.bridges:
            carries = next(line.carries for line in drawn.conductors if line.y == first)
            painter.setPen(QPen(theme.conductor(carries), 1, Qt.PenStyle.DashLine))
            painter.drawLine(self._at(x, first), self._at(x, last))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.conductor(carries))
            for y in (first, last):
                painter.drawEllipse(self._at(x, y), 3.5, 3.5)
        load = QRectF(self._at(470, top - 32), self._at(600, bottom + 32))
        painter.setPen(QPen(QColor(theme.rule), 1.4))
        painter.setBrush(QColor(theme.panel))
        painter.drawRoundedRect(load, 5, 5)
        painter.setPen(QColor(theme.ink))
        painter.setFont(painting.tabular(max(10.5 * min(self._scale()[0], 1.0), 6.5), bold=True))
        painter.drawText(load, Qt.AlignmentFlag.AlignCenter, drawn.load)
        painter.setFont(painting.tabular(9))
        painter.setPen(QColor(theme.soft))
        said = f"{drawn.supply} · {kind.title}"
        room = self._at(464, top).x() - self._at(60, top).x()  # up to the load
        said = painter.fontMetrics().elidedText(said, Qt.TextElideMode.ElideRight, int(room))
        painter.drawText(self._at(60, top - 20), said)
        for at, (placed, rect) in enumerate(self.sockets()):
            self._paint_socket(painter, kind.socket(placed.socket), rect, connection.sockets.get(placed.socket), at)

    def _paint_socket(self, painter: QPainter, socket: Socket, rect: QRectF, channel: str | None, at: int) -> None:
        theme = self._theme
        colour = theme.conductor(socket.conductor)
        heavy = socket.quantity == "current"
        if channel is not None and misplaced(self._document.study, channel, socket) is not None:
            colour = QColor(theme.caution)
        over = self._over == socket.name
        focused = self.hasFocus() and at == self._focused
        painter.setPen(
            QPen(
                QColor(theme.edge) if focused or over else colour,
                2.2 if heavy or over else 1.3,
                Qt.PenStyle.SolidLine if channel else Qt.PenStyle.DashLine,
            )
        )
        painter.setBrush(QColor(theme.wash if over else theme.ground))
        painter.drawRoundedRect(rect, rect.height() / 2, rect.height() / 2)
        painter.setFont(painting.tabular(10 if channel else 9, bold=bool(channel)))
        painter.setPen(colour if channel else QColor(theme.soft))
        text = channel or f"{socket.name} ?"
        said = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideMiddle, int(rect.width()) - 10)
        painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, said)

    def _paint_chips(self, painter: QPainter) -> None:
        chips = self.chips()
        painter.setFont(painting.tabular(9))
        painter.setPen(QColor(self._theme.soft))
        if chips:
            hidden = len(free_channels(self._document.study)) - len(chips)
            more = f" ({hidden} more in the sockets' menus)" if hidden else ""
            painter.drawText(QPointF(18, self.height() - 42), f"Not placed yet: click to place, or drag onto a socket{more}")
        for name, rect in chips:
            painter.setPen(QPen(QColor(self._theme.rule), 1))
            painter.setBrush(QColor(self._theme.panel))
            painter.drawRoundedRect(rect, 13, 13)
            painter.setPen(QColor(self._theme.ink))
            said = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, int(rect.width()) - 14)
            painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, said)

    def socket_at(self, place: QPointF) -> str | None:
        """Return the socket at a place, or None."""
        return next((s.socket for s, rect in self.sockets() if rect.adjusted(-8, -6, 8, 6).contains(place)), None)

    def _channel_at(self, place: QPointF) -> str | None:
        """Return the channel that can be taken hold of at a place."""
        for name, rect in self.chips():
            if rect.contains(place):
                return name
        socket = self.socket_at(place)
        if socket is None or self.connection is None:
            return None
        return self._document.study.connection(self.connection).sockets.get(socket)

    # gestures

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of a channel."""
        if event is not None and event.button() is Qt.MouseButton.LeftButton:
            name = self._channel_at(event.position())
            self._held = (name or "", event.position())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Drag the channel that is held."""
        if event is None or self._held is None or not self._held[0]:
            return
        if (event.position() - self._held[1]).manhattanLength() > 8:
            name, self._held = self._held[0], None
            data = QMimeData()
            data.setData(CHANNEL_MIME, name.encode())
            drag = QDrag(self)
            drag.setMimeData(data)
            drag.exec(Qt.DropAction.MoveAction)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """A click on a socket asks what to put there; a click on a channel without a place puts it where it belongs."""
        held, self._held = self._held, None
        if event is not None and held is not None:
            socket = self.socket_at(event.position())
            if socket is None and held[0]:
                self.place_by_itself(held[0])
            if socket is not None:
                self.socket_chosen.emit(socket, event.globalPosition().toPoint())

    def place_by_itself(self, channel: str) -> None:
        """Put a channel into the empty socket that its name or unit tells."""
        if self.connection is None:
            return
        study = self._document.study
        connection = study.connection(self.connection)
        socket = socket_for(study, connection, wiring(connection.wiring), channel)
        if socket is not None:
            self._document.take(op.place_channel(study, self.connection, socket, channel), f"place {channel}")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrow keys walk the sockets; Enter asks what to put there; Delete empties one."""
        found = self.sockets()
        if event is None or not found:
            return
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Down: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        if step is not None:
            self._focused = (self._focused + step) % len(found)
            self.update()
            return
        placed, rect = found[min(self._focused, len(found) - 1)]
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.socket_chosen.emit(placed.socket, self.mapToGlobal(rect.bottomLeft().toPoint()))
        elif event.key() == Qt.Key.Key_Delete and self.connection is not None:
            self._document.take(op.take_channel_out(self._document.study, self.connection, placed.socket), "empty socket")
        else:
            super().keyPressEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Accept channels."""
        mime = event.mimeData() if event is not None else None
        if event is not None and mime is not None and mime.hasFormat(CHANNEL_MIME):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent | None) -> None:
        """Light up the socket under the pointer."""
        if event is None:
            return
        self._over = self.socket_at(event.position())
        self.update()
        event.acceptProposedAction()

    def dragLeaveEvent(self, event: QDragLeaveEvent | None) -> None:
        """Put the light out."""
        self._over = None
        self.update()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Put the channel into the socket under the pointer."""
        self._over = None
        mime = event.mimeData() if event is not None else None
        if event is not None and mime is not None:
            self.drop_channel(bytes(mime.data(CHANNEL_MIME)).decode(), event.position())
            event.acceptProposedAction()

    def drop_channel(self, name: str, place: QPointF) -> None:
        """Put a channel into the socket at a place; beside all sockets it leaves the one it had."""
        if self.connection is None:
            return
        study, socket = self._document.study, self.socket_at(place)
        if socket is not None:
            self._document.take(op.place_channel(study, self.connection, socket, name), f"place {name}")
            return
        had = next((s for s, channel in study.connection(self.connection).sockets.items() if channel == name), None)
        if had is not None:
            self._document.take(op.take_channel_out(study, self.connection, had), f"take {name} out")
        self.update()
