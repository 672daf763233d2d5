"""The dialog of a ready-made group: which channels it is for, and the formulas it inserts."""

from PyQt6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QFormLayout, QLabel, QVBoxLayout, QWidget

from pantelos.desktop.drawing import painting
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError
from pantelos.study.groups import FormulaGroup, fitting_channels, proposed, texts_of, with_group


class GroupDialog(QDialog):
    """Asks only for channels, proposes them, and shows the formulas as they will be."""

    def __init__(self, group: FormulaGroup, evaluation: Evaluation, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(group.title)
        self._group, self._evaluation = group, evaluation
        types, study = evaluation.names.types, evaluation.study
        guess = proposed(group, study, types)
        form = QFormLayout()
        self._boxes: dict[str, QComboBox] = {}
        for asked in group.asks:
            box = QComboBox(accessibleName=asked.what)
            box.addItems(fitting_channels(asked, types))
            box.setCurrentText(guess.get(asked.name, ""))
            box.currentTextChanged.connect(lambda text: self._show())
            form.addRow(asked.what, box)
            self._boxes[asked.name] = box
        self._texts = QLabel()
        self._texts.setFont(painting.tabular(9.5))
        self._said = QLabel(wordWrap=True)
        self._said.setProperty("fault", True)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        self._insert = buttons.button(QDialogButtonBox.StandardButton.Ok)
        assert self._insert is not None
        self._insert.setText("Insert")
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.addWidget(QLabel(group.help, wordWrap=True))
        column.addLayout(form)
        column.addWidget(self._texts)
        column.addWidget(self._said)
        column.addWidget(buttons)
        self.setMinimumWidth(420)
        self._show()

    def texts(self) -> tuple[str, ...]:
        """Return the formulas with the chosen channels in them."""
        channels = {name: box.currentText() for name, box in self._boxes.items() if box.currentText()}
        return texts_of(self._group, self._evaluation.study, channels)

    def _show(self) -> None:
        """Show the formulas as they would be, or why they cannot be."""
        assert self._insert is not None
        try:
            texts = self.texts()
            names = self._evaluation.on(with_group(self._evaluation.study, texts)).names
            broken = [str(names.broken[name]) for text in texts if (name := text.partition(" = ")[0]) in names.broken]
        except PantelosError as error:
            texts, broken = (), [str(error)]
        self._texts.setText("\n".join(texts))
        self._said.setText(broken[0] if broken else "")
        self._insert.setEnabled(not broken)
