"""The import preview: what was understood of a file, shown and corrected before anything is built."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from pantelos.desktop.presenter.importing import ImportDraft, draft, with_column, with_rate
from pantelos.errors import PantelosError
from pantelos.formats.dialect import Role

_DELIMITERS = (("comma", ","), ("semicolon", ";"), ("tab", "\t"), ("bar", "|"))
_DECIMALS = (("point", "."), ("comma", ","))
_HEAD_ROWS = 3  # name, unit, role above the first rows of the file


class ImportDialog(QDialog):
    """Shows one file; `draft` is how it will be read."""

    def __init__(self, start: ImportDraft, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.draft = start
        self.setWindowTitle("Import a record")
        self.resize(980, 620)
        heading = QLabel(start.path.name)
        heading.setProperty("heading", True)
        self._summary = QLabel()
        self.delimiter = self._choice(_DELIMITERS, "Separator")
        self.decimal = self._choice(_DECIMALS, "Decimal sign")
        self.rate = QLineEdit(start.rate_text, placeholderText="from the time column, or 20 kHz, or 50 us")
        self.rate.setAccessibleName("Sample rate")
        self._reasons, self._problems = QLabel(), QLabel()
        self._reasons.setProperty("soft", True)
        self._problems.setProperty("fault", True)
        for label in (self._reasons, self._problems):
            label.setWordWrap(True)
            label.setTextFormat(Qt.TextFormat.PlainText)
        self.grid = QTableWidget()
        self.grid.setAccessibleName("Columns and first rows")
        form = QFormLayout()
        if start.preview.textual:
            form.addRow("Separator", self.delimiter)
            form.addRow("Decimal sign", self.decimal)
        form.addRow("Sample rate", self.rate)
        understood = QFrame(objectName="card")
        column = QVBoxLayout(understood)
        column.addWidget(QLabel("What was understood"))
        column.addWidget(self._reasons)
        top = QHBoxLayout()
        top.addLayout(form, 1)
        top.addWidget(understood, 2)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.import_button = self.buttons.addButton("Import", QDialogButtonBox.ButtonRole.AcceptRole)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(20, 16, 20, 16)
        whole.setSpacing(10)
        whole.addWidget(heading)
        whole.addWidget(self._summary)
        whole.addLayout(top)
        whole.addWidget(self.grid, 1)
        whole.addWidget(self._problems)
        whole.addWidget(self.buttons)
        self._fill()
        self.delimiter.activated.connect(self._split_anew)
        self.decimal.activated.connect(self._split_anew)
        self.rate.textEdited.connect(self._rate_typed)
        self.grid.cellChanged.connect(self._cell_typed)

    def _choice(self, entries: tuple[tuple[str, str], ...], name: str) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(name)
        for title, value in entries:
            box.addItem(title, value)
        return box

    def _fill(self) -> None:
        """Show the draft."""
        dialect = self.draft.dialect
        self.delimiter.setCurrentIndex(self.delimiter.findData(dialect.delimiter))
        self.decimal.setCurrentIndex(self.decimal.findData(dialect.decimal))
        rows = self.draft.preview.rows[:12]
        self.grid.blockSignals(True)
        self.grid.clear()
        self.grid.setColumnCount(len(dialect.columns))
        self.grid.setRowCount(_HEAD_ROWS + len(rows))
        self.grid.setHorizontalHeaderLabels([str(at + 1) for at in range(len(dialect.columns))])
        lines = [str(dialect.first_line + at) for at in range(len(rows))]
        self.grid.setVerticalHeaderLabels(["name", "unit", "role", *lines])
        for at, column in enumerate(dialect.columns):
            for line, text in enumerate((column.name, column.unit)):
                item = QTableWidgetItem(text)
                font = item.font()
                font.setBold(True)
                item.setFont(font)
                self.grid.setItem(line, at, item)
            self.grid.setCellWidget(2, at, self._role_box(at, column.role))
            for line, row in enumerate(rows):
                item = QTableWidgetItem(row[at] if at < len(row) else "")
                item.setFlags(Qt.ItemFlag.ItemIsEnabled)
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.grid.setItem(_HEAD_ROWS + line, at, item)
        self.grid.blockSignals(False)
        self._judge()

    def _role_box(self, at: int, role: Role) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(f"Role of column {at + 1}")
        for each in Role:
            box.addItem(str(each), each)
        box.setCurrentIndex(list(Role).index(role))
        box.activated.connect(lambda index: self._take(with_column(self.draft, at, role=list(Role)[index]), refill=True))
        return box

    def _take(self, changed: ImportDraft, refill: bool = False) -> None:
        self.draft = changed
        if refill:
            self._fill()
        else:
            self._judge()

    def _judge(self) -> None:
        """Say what is understood and what is still missing."""
        self._summary.setText(self.draft.summary)
        self._reasons.setText("\n".join(f"· {reason}" for reason in self.draft.preview.reasons))
        problems = self.draft.problems
        self._problems.setText("\n".join(problem[:1].upper() + problem[1:] for problem in problems))
        self._problems.setVisible(bool(problems))
        if self.import_button is not None:
            self.import_button.setEnabled(not problems)
            self.import_button.setDefault(True)

    def _split_anew(self) -> None:
        """Look at the file again with the chosen separator and decimal sign."""
        try:
            changed = draft(self.draft.path, self.delimiter.currentData(), self.decimal.currentData())
        except PantelosError as error:
            self._problems.setText(str(error))
            self._problems.setVisible(True)
            return
        self._take(with_rate(changed, self.rate.text()) if self.rate.text() else changed, refill=True)

    def _rate_typed(self, text: str) -> None:
        self._take(with_rate(self.draft, text))

    def _cell_typed(self, row: int, at: int) -> None:
        item = self.grid.item(row, at)
        if item is None or row > 1:
            return
        text = item.text().strip()
        self._take(with_column(self.draft, at, name=text) if row == 0 else with_column(self.draft, at, symbol=text))
