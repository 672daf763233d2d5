"""What stands in place of the drawing while there is no connection: what the channels look like, and the kinds to choose from."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from pantelos.power.wirings import WIRINGS, Wiring
from pantelos.study.suggestion import Suggestion

_TEXT_WIDTH = 420
_LETTERS_IN_A_ROW, _MOST_IN_A_ROW = 64, 3


class FirstConnection(QScrollArea):
    """Proposals with a button each, and a column of kinds."""

    kind_chosen = pyqtSignal(str)
    suggestion_chosen = pyqtSignal(object)
    all_chosen = pyqtSignal(object)  # every one that is offered, in one step

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.uses: list[QPushButton] = []
        self.setAccessibleName("How it was connected")
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setWidgetResizable(True)  # a small window scrolls what it has no room for
        inner = QWidget()
        self.setWidget(inner)
        self._whole = QVBoxLayout(inner)
        self._whole.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._offered = QWidget()
        self._column = QVBoxLayout(self._offered)
        self.offer(())

    def offer(self, proposals: Sequence[Suggestion]) -> None:
        """Offer what the channels look like."""
        self._offered.hide()
        self._offered.deleteLater()
        self._offered, self.uses = QWidget(), []
        self._column = QVBoxLayout(self._offered)
        self._whole.addWidget(self._offered)
        heading = QLabel("How was it connected?")
        heading.setProperty("heading", True)
        self._column.addWidget(heading, 0, Qt.AlignmentFlag.AlignHCenter)
        for proposal in proposals[:3]:
            self._column.addSpacing(8)
            self._column.addWidget(self._card(proposal), 0, Qt.AlignmentFlag.AlignHCenter)
        if len(proposals) > 1:
            every = QPushButton(f"Use all {len(proposals)}")
            every.clicked.connect(lambda: self.all_chosen.emit(proposals))
            self._column.addWidget(every, 0, Qt.AlignmentFlag.AlignHCenter)
            self.uses.append(every)
        self._say(
            "Or choose a kind, then place channels by a click" if proposals else "Choose a kind, then place channels by a click"
        )
        for kinds in _rows():
            row = QHBoxLayout()
            for kind in kinds:
                button = QPushButton(kind.title)
                button.setMinimumWidth(160)
                button.clicked.connect(lambda _=False, id_=kind.id: self.kind_chosen.emit(id_))
                row.addWidget(button)
            self._column.addLayout(row)

    def _card(self, proposal: Suggestion) -> QFrame:
        card = QFrame(objectName="card")
        look = "looks" if len(proposal.sockets) == 1 else "look"
        title = QLabel(f"{', '.join(proposal.sockets.values())} {look} like {proposal.wiring.title.lower().replace('dc', 'DC')}")
        turned = f"; {', '.join(proposal.turned)} lies the other way round" if proposal.turned else ""
        why = QLabel(proposal.why + turned, toolTip="\n".join(f"{name}: {text}" for name, text in proposal.why_of.items()))
        why.setProperty("soft", True)
        use = QPushButton("Use this", accessibleName=f"Use {proposal.text}")
        use.setAutoDefault(True)
        use.clicked.connect(lambda: self.suggestion_chosen.emit(proposal))
        self.uses.append(use)
        row = QHBoxLayout(card)
        row.setContentsMargins(16, 10, 12, 10)
        said = QVBoxLayout()
        for label in (title, why):
            label.setWordWrap(True)
            label.setFixedWidth(_TEXT_WIDTH)
            label.ensurePolished()
            label.setFixedHeight(label.heightForWidth(_TEXT_WIDTH))  # a layout that centres asks for no height of its own
            said.addWidget(label)
        row.addLayout(said, 1)
        row.addWidget(use)
        return card

    def _say(self, text: str) -> None:
        label = QLabel(text)
        label.setProperty("soft", True)
        self._column.addSpacing(10)
        self._column.addWidget(label, 0, Qt.AlignmentFlag.AlignHCenter)


def _rows() -> list[list[Wiring]]:
    """Return the kinds, as many beside each other as their titles fit."""
    rows: list[list[Wiring]] = [[]]
    for kind in WIRINGS:
        if sum(len(one.title) for one in (*rows[-1], kind)) > _LETTERS_IN_A_ROW or len(rows[-1]) == _MOST_IN_A_ROW:
            rows.append([])
        rows[-1].append(kind)
    return rows
