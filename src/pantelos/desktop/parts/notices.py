"""A card that lists findings: a mark, a sentence, and a second line with figures or the remedy."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QGridLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from pantelos.desktop.parts.labels import breakable
from pantelos.desktop.theme import Theme
from pantelos.notice import GRAVE_FIRST, Notice
from pantelos.study.finding import remedy_of


class NoticeCard(QFrame):
    """Shows notices, the grave ones first; what can be mended at once has a button."""

    remedy_wanted = pyqtSignal(object)

    def __init__(self, title: str, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent, objectName="card")
        self._theme = theme
        self._notices: tuple[Notice, ...] = ()
        heading = QLabel(title)
        heading.setProperty("heading", True)
        self._scroll = QScrollArea()
        self._scroll.setAccessibleName(title)
        self._scroll.setFrameShape(QFrame.Shape.NoFrame)
        self._scroll.setWidgetResizable(True)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setStyleSheet("background: transparent;")
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 10, 12)
        column.addWidget(heading)
        column.addWidget(self._scroll, 1)

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self._theme = theme
        self.show_notices(self._notices)

    def grey(self) -> None:
        """Show the findings as those of a moment ago, until new ones come."""
        if (body := self._scroll.widget()) is not None:
            body.setEnabled(False)

    def show_notices(self, notices: tuple[Notice, ...]) -> None:
        """Show these findings."""
        self._notices = notices
        body = QWidget()
        grid = QGridLayout(body)
        grid.setContentsMargins(0, 4, 6, 0)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(1)
        grid.setColumnStretch(1, 1)
        theme = self._theme
        colours = dict(zip(GRAVE_FIRST, (theme.fault, theme.caution, theme.soft, theme.good), strict=True))
        line = 0
        for notice in sorted(notices, key=lambda n: GRAVE_FIRST.index(n.severity)):
            mark = QLabel(f'<span style="color:{colours[notice.severity]}; font-weight:600">{notice.severity.mark}</span>')
            text, detail = QLabel(breakable(notice.text)), QLabel(breakable(notice.detail))
            detail.setProperty("soft", True)
            for label in (text, detail):
                label.setWordWrap(True)
                label.setTextFormat(Qt.TextFormat.PlainText)
                label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            grid.addWidget(mark, line, 0, Qt.AlignmentFlag.AlignTop)
            grid.addWidget(text, line, 1)
            grid.addWidget(detail, line + 1, 1)
            remedy = remedy_of(notice)
            if remedy is not None:
                mend = QPushButton(remedy.title)
                mend.clicked.connect(lambda _, n=notice: self.remedy_wanted.emit(n))
                grid.addWidget(mend, line + 2, 1, Qt.AlignmentFlag.AlignLeft)
            grid.setRowMinimumHeight(line + 3, 8)
            line += 4
        grid.setRowStretch(line, 1)
        self._scroll.setWidget(body)
