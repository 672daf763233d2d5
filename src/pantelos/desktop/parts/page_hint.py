"""What a page is for, said the first time and put away for good."""

from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QToolButton, QWidget

from pantelos.settings import change_settings, load_settings

HINTS = {
    "wiring": "Here you say what each channel is. Take the proposal or place channels by a click; then choose rows below "
    "and type their transducer, such as 10 mV/A or 200:1.",
    "traces": "Drag along the time axis: that stretch is an interval, and every number in the window belongs to it. "
    "S makes it hold whole cycles; type formulas such as p = u1 * i1 above.",
    "recorder": "Connect to a recorder, or simulate one; tick inputs, read the sentence below and fill its gaps, press Start. "
    "What was recorded opens as a study; drag the dashed level in the waveform to start elsewhere.",
    "campaign": "A finished study is the recipe; add files, press Run. A heading shows its value over all records; a double "
    "click opens a record with the recipe applied.",
    "tables": "What you hand over: ticked sheets, ticked intervals side by side. Click a number to see what stands behind it; "
    "the buttons below the lists write the report.",
}


class PageHint(QFrame):
    """A strip above the pages."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent, objectName="notice")
        self._page = ""
        self._said = QLabel()
        self._said.setWordWrap(True)
        away = QToolButton(text="Understood", toolTip="Put this hint away for good; Help has it all")
        away.clicked.connect(self.put_away)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 4, 10, 4)
        row.addWidget(self._said, 1)
        row.addWidget(away)
        self.hide()

    def show_for(self, page: str) -> None:
        """Show the hint of a page, unless it was put away."""
        self._page = page
        self._said.setText(HINTS.get(page, ""))
        self.setVisible(page in HINTS and page not in load_settings().hints_seen)

    def put_away(self) -> None:
        """Never show the hint of this page again."""
        change_settings(hints_seen=(*load_settings().hints_seen, self._page))
        self.hide()
