"""Two small windows that open where they are asked for: what stands behind a number, and the list of checks."""

from html import escape

from PyQt6.QtCore import QEvent, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QGuiApplication, QKeyEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QListWidget, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from pantelos.desktop.theme import Theme
from pantelos.notice import GRAVE_FIRST, Notice
from pantelos.study.finding import remedy_of
from pantelos.tables.explaining import Explanation

_WIDTH = 470
_CHECKS_WIDTH = 560
_MARGIN = 12
_SIDE = 16
_TALLEST = 420


class Popup(QFrame):
    """A small window: opens near a place, within the window, and closes when something else is clicked."""

    def __init__(self, parent: QWidget, width: int) -> None:
        super().__init__(parent, Qt.WindowType.Popup, objectName="card")
        self.setFixedWidth(width)
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(_SIDE, 14, _SIDE, 12)
        self.column.setSpacing(8)

    def event(self, event: QEvent | None) -> bool:
        """Keep letters that are typed here from the window behind, whose keys would act on the study."""
        keys = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier | Qt.KeyboardModifier.MetaModifier
        if isinstance(event, QKeyEvent) and event.type() is QEvent.Type.ShortcutOverride:
            typed = bool(event.text()) and event.text().isprintable()
            if typed and not event.modifiers() & keys:
                event.accept()
                return True
        return super().event(event)

    def open_at(self, place: QPoint) -> None:
        """Show near a place of the screen, moved so far that all of it lies over the window."""
        self.adjustSize()
        window = self.parentWidget()
        assert window is not None
        area = window.window().frameGeometry() if window.window() is not None else self.geometry()  # type: ignore[union-attr]
        x = min(max(place.x() - self.width() // 2, area.left() + _MARGIN), area.right() - self.width() - _MARGIN)
        y = (
            place.y() + _MARGIN
            if place.y() + self.height() + 2 * _MARGIN < area.bottom()
            else place.y() - self.height() - _MARGIN
        )
        self.move(x, max(y, area.top() + _MARGIN))
        self.show()

    def add_buttons(self, *buttons: QPushButton) -> None:
        """Add a row of buttons at the foot."""
        row = QHBoxLayout()
        for button in buttons:
            row.addWidget(button)
        row.addStretch(1)
        self.column.addLayout(row)


class ExplanationPopup(Popup):
    """Formula, place, method, standard, accuracy budget and checks of one number; copy it, or use it in a formula."""

    use_wanted = pyqtSignal(str)

    def __init__(self, said: Explanation, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent, _WIDTH)
        self.said = said
        self.text = QLabel(_rich(said, theme))
        self.text.setTextFormat(Qt.TextFormat.RichText)
        self.text.setWordWrap(True)
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.text.setMinimumHeight(self.text.heightForWidth(_WIDTH - 2 * _SIDE))  # a wrapped text does not ask for all it needs
        self.column.addWidget(self.text)
        copy, copy_all = QPushButton("Copy value"), QPushButton("Copy all")
        copy.clicked.connect(lambda: self._copy(said.value))
        copy_all.clicked.connect(lambda: self._copy(said.text))
        buttons = [copy, copy_all]
        if said.formula:
            use = QPushButton("Use in a formula", toolTip=said.formula)
            use.clicked.connect(self._use)
            buttons.insert(0, use)
        self.add_buttons(*buttons)

    def _copy(self, text: str) -> None:
        clipboard = QGuiApplication.clipboard()
        assert clipboard is not None
        clipboard.setText(text)
        self.close()

    def _use(self) -> None:
        self.use_wanted.emit(self.said.formula)
        self.close()


def _rich(said: Explanation, theme: Theme) -> str:
    soft = f'style="color:{theme.soft}"'
    facts = "".join(f"<tr><td {soft}>{escape(label)}&nbsp;&nbsp;</td><td>{escape(text)}</td></tr>" for label, text in said.facts)
    text = (
        f'<div {soft}>{escape(said.title)}</div><div style="font-size:19px"><b>{escape(said.value)}</b></div>'
        f"<div>{escape(said.range)}</div><br><table>{facts}</table>"
    )
    if said.budget:
        rows = "".join(
            f"<tr><td>{escape(line.input)}</td><td {soft}>&nbsp;&nbsp;{line.shape}</td>"
            f'<td align="right">&nbsp;&nbsp;{escape(line.contribution)}</td><td align="right">&nbsp;&nbsp;{line.share}</td></tr>'
            for line in said.budget
        )
        text += (
            f'<br><table><tr><td {soft}>accuracy budget</td><td></td><td align="right" {soft}>contribution</td>'
            f'<td align="right" {soft}>&nbsp;&nbsp;share</td></tr>{rows}</table>'
        )
    return text + "".join(f'<div style="color:{theme.caution}">⚑ {escape(remark)}</div>' for remark in said.remarks)


class ChecksPopup(Popup):
    """All checks, those that found something first; choosing one leads to its place, its remedy can be taken at once."""

    place_wanted = pyqtSignal(object)
    remedy_wanted = pyqtSignal(object)

    def __init__(self, notices: tuple[Notice, ...], theme: Theme, parent: QWidget) -> None:
        super().__init__(parent, _CHECKS_WIDTH)
        title = QLabel("Checks")
        title.setProperty("heading", True)
        self.column.addWidget(title)
        self.list = QListWidget(accessibleName="Checks")
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        colours = dict(zip(GRAVE_FIRST, (theme.fault, theme.caution, theme.soft, theme.good), strict=True))
        self.notices = sorted(notices, key=lambda n: GRAVE_FIRST.index(n.severity))
        for notice in self.notices:
            item = QListWidgetItem(f"{notice.severity.mark}  {notice.text}" + (f"\n{notice.detail}" if notice.detail else ""))
            item.setForeground(QColor(colours[notice.severity]))
            self.list.addItem(item)
        needed = sum(self.list.sizeHintForRow(row) for row in range(self.list.count())) + 6
        self.list.setFixedHeight(min(max(needed, 40), _TALLEST))
        self.column.addWidget(self.list)
        self.go = QPushButton("Show the place")
        self.mend = QPushButton("Mend")
        self.go.clicked.connect(lambda: self._send(self.place_wanted))
        self.mend.clicked.connect(lambda: self._send(self.remedy_wanted))
        self.add_buttons(self.go, self.mend)
        self.list.currentRowChanged.connect(self._choose)
        self.list.itemActivated.connect(lambda item: self._send(self.place_wanted))
        self.list.setCurrentRow(0)

    def _choose(self, row: int) -> None:
        notice = self.notices[row] if 0 <= row < len(self.notices) else None
        self.go.setEnabled(notice is not None)
        remedy = remedy_of(notice) if notice is not None else None
        self.mend.setVisible(remedy is not None)
        self.mend.setText(remedy.title if remedy is not None else "")

    def _send(self, signal: object) -> None:
        row = self.list.currentRow()
        self.close()
        if 0 <= row < len(self.notices):
            signal.emit(self.notices[row])  # type: ignore[attr-defined]
