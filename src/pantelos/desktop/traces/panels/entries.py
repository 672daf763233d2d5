"""A small window in which the typed settings of a panel are changed: each is taken when it is entered, or said to be wrong."""

from collections.abc import Callable

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QFormLayout, QLabel, QLineEdit, QWidget

from pantelos.desktop.parts.labels import breakable
from pantelos.desktop.parts.popups import Popup
from pantelos.errors import PantelosError
from pantelos.panels.panel import Entry
from pantelos.study.shown import Panel

_WIDTH = 430


class PanelEntries(Popup):
    """A line for each setting; what is entered goes to the panel at once."""

    def __init__(
        self, title: str, entries: tuple[Entry, ...], panel: Panel, taken: Callable[[Panel], None], parent: QWidget
    ) -> None:
        super().__init__(parent, _WIDTH)
        self._panel, self._taken = panel, taken
        self._said = QLabel()
        self._said.setProperty("fault", True)
        self._said.setWordWrap(True)
        self._said.hide()
        heading = QLabel(title)
        heading.setProperty("heading", True)
        self.column.addWidget(heading)
        form = QFormLayout()
        self.lines: dict[str, QLineEdit] = {entry.title: self._line(entry) for entry in entries}
        for name, line in self.lines.items():
            form.addRow(name, line)
        self.column.addLayout(form)
        self.column.addWidget(self._said)

    def _line(self, entry: Entry) -> QLineEdit:
        line: QLineEdit = QLineEdit(entry.text(self._panel), placeholderText=entry.example, toolTip=entry.example)
        line.setAccessibleName(entry.title)
        line.editingFinished.connect(lambda: self._take(entry, line))
        return line

    def _take(self, entry: Entry, line: QLineEdit) -> None:
        if not line.isModified():
            return
        line.setModified(False)
        try:
            changed = entry.taken(self._panel, line.text())
        except PantelosError as error:
            self._mark(line, wrong=True)
            self._said.setText(breakable(str(error)))
            self._said.show()
            self.adjustSize()
            line.setFocus()  # until it is right, or what stood there before
            return
        self._mark(line, wrong=False)
        self._said.setVisible(any(other.property("wrong") for other in self.lines.values()))
        if changed != self._panel:
            self._panel = changed
            self._taken(changed)

    def _mark(self, line: QLineEdit, wrong: bool) -> None:
        line.setProperty("wrong", wrong)
        style = line.style()
        assert style is not None
        style.polish(line)

    def open_below(self, widget: QWidget) -> None:
        """Open below a widget, the first line ready to be typed in."""
        self.open_at(widget.mapToGlobal(QPoint(widget.width() // 2, widget.height())))
        first: QLineEdit = next(iter(self.lines.values()))
        first.setFocus()
        first.selectAll()
