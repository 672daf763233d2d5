"""What stands in place of the drawing while there is no connection: what the names suggest, and the kinds to choose from."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from pantelos.power.wirings import WIRINGS
from pantelos.study.model import Study
from pantelos.study.suggestion import suggestions


class FirstConnection(QWidget):
    """A column of buttons."""

    kind_chosen = pyqtSignal(str)
    suggestion_chosen = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._column = QVBoxLayout(self)
        self._column.setAlignment(Qt.AlignmentFlag.AlignCenter)

    def offer(self, study: Study) -> None:
        """Offer what fits the channels of a study."""
        while self._column.count():
            item = self._column.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.deleteLater()
        heading = QLabel("How was it connected?")
        heading.setProperty("heading", True)
        self._column.addWidget(heading, 0, Qt.AlignmentFlag.AlignHCenter)
        found = suggestions(study)
        if found:
            self._say("The names of the channels suggest")
        for suggestion in found:
            self._button(suggestion.text).clicked.connect(lambda _=False, s=suggestion: self.suggestion_chosen.emit(s))
        self._say(
            "Or choose a kind, then drop channels on its sockets" if found else "Choose a kind, then drop channels on its sockets"
        )
        for kind in WIRINGS:
            self._button(kind.title).clicked.connect(lambda _=False, id_=kind.id: self.kind_chosen.emit(id_))

    def _say(self, text: str) -> None:
        label = QLabel(text)
        label.setProperty("soft", True)
        self._column.addSpacing(10)
        self._column.addWidget(label, 0, Qt.AlignmentFlag.AlignHCenter)

    def _button(self, text: str) -> QPushButton:
        button = QPushButton(text)
        button.setMinimumWidth(320)
        self._column.addWidget(button, 0, Qt.AlignmentFlag.AlignHCenter)
        return button
