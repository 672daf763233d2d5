"""The header line: study, active interval, whether it is whole, what goes on, and how many checks ask for attention."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QProgressBar, QToolButton, QWidget

from pantelos.desktop.parts.labels import ShortLabel
from pantelos.desktop.presenter.headline import Headline
from pantelos.desktop.theme import Theme


class Header(QFrame):
    """Shows a headline."""

    checks_wanted = pyqtSignal()
    cancel_wanted = pyqtSignal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent, objectName="header")
        self._theme = theme
        self.title, self.interval, self.times = ShortLabel(), ShortLabel(), ShortLabel()
        self.length, self.cycles, self.whole = ShortLabel(), ShortLabel(middle=True), QLabel()
        self.interval.setProperty("edge", True)
        for bold in (self.title, self.interval):
            font = bold.font()
            font.setBold(True)
            bold.setFont(font)
        self.progress = QProgressBar(maximum=1000)
        self.progress.setFixedWidth(170)
        self.pace = QLabel()
        self.pace.setProperty("soft", True)
        self.cancel = QToolButton(text="Cancel", toolTip="Give up what is going on")
        self.cancel.clicked.connect(self.cancel_wanted)
        self.checks = QToolButton(toolTip="Show what may be wrong with the data or the wiring")
        self.checks.clicked.connect(self.checks_wanted)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 5, 12, 5)
        row.setSpacing(13)
        for label in (self.title, self.interval, self.times, self.length, self.cycles, self.whole):
            row.addWidget(label)
        row.addStretch(1)
        for widget in (self.pace, self.progress, self.cancel, self.checks):
            row.addWidget(widget)
        self.show_progress(None, 0.0)
        self.show_checks(None)

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self._theme = theme

    def show_headline(self, said: Headline, modified: bool) -> None:
        """Show title, interval and cycles."""
        self.title.setText(f"{said.title}{' •' if modified else ''}")
        self.title.setToolTip(f"{said.title}: not saved yet" if modified else "")
        self.interval.setText(f"●\N{NO-BREAK SPACE}{said.interval}" if said.interval else "")
        self.times.setText(said.times)
        self.length.setText(said.length)
        self.cycles.setText(said.cycles)
        self.cycles.setToolTip(said.why)
        self.whole.setVisible(said.whole is not None)
        self.whole.setText("whole cycles" if said.whole else "broken cycles")
        self.whole.setToolTip("" if said.whole else "Readings use the whole cycles inside; press S to snap the edges")
        self.whole.setProperty("whole", "true" if said.whole else "false")
        style = self.whole.style()
        assert style is not None
        style.polish(self.whole)

    def show_progress(self, what: str | None, fraction: float, pace: str = "") -> None:
        """Show what goes on, how far it is, and how fast; nothing for None."""
        self.progress.setVisible(what is not None)
        self.cancel.setVisible(what is not None)
        if what is not None:
            self.progress.setFormat(f"{what} %p %")
            self.progress.setValue(round(1000 * fraction))
        self.pace.setText(pace if what is not None else "")

    def show_checks(self, n: int | None) -> None:
        """Show how many checks ask for attention; nothing while they are not known."""
        self.checks.setVisible(n is not None)
        colour = self._theme.caution if n else self._theme.good
        self.checks.setText("no checks open" if n == 0 else f"⚑ {n} check{'s' if n != 1 else ''}")
        self.checks.setStyleSheet(f"color: {colour}; font-weight: 600;")
