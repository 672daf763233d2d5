"""The dialog: what was understood of each file, its columns, and where it goes."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from pantelos.desktop.importing.column_table import NAME, SCALE, ColumnGrid
from pantelos.desktop.importing.setting import SettingChooser
from pantelos.desktop.presenter.import_plan import (
    ImportDraft,
    ImportPlan,
    draft,
    with_column,
    with_rate,
    with_scale,
    with_what_was_agreed,
)
from pantelos.errors import PantelosError
from pantelos.formats.dialect import ColumnRole
from pantelos.formats.text.layout import DELIMITERS

_DECIMALS = (("point", "."), ("comma", ","))


class ImportDialog(QDialog):
    """Shows one file or several; `plan` is how they will be read and set."""

    def __init__(self, start: ImportDraft | Sequence[ImportDraft], parent: QWidget | None = None, may_join: bool = False) -> None:
        super().__init__(parent)
        drafts = (start,) if isinstance(start, ImportDraft) else tuple(start)
        self.plan = ImportPlan.of(drafts, into_open=False)
        self._at = 0
        self.setWindowTitle("Import a record" if len(drafts) == 1 else f"Import {len(drafts)} recordings as one record")
        self.resize(1040, 680)
        self._heading, self._summary = QLabel(), QLabel()
        self._heading.setProperty("heading", True)
        self.delimiter = self._choice([(title, sign) for sign, title in DELIMITERS.items()], "Separator")
        self.decimal = self._choice(_DECIMALS, "Decimal sign")
        self.rate = QLineEdit(placeholderText="from the time column, or 20 kHz, or 50 us")
        self.rate.setAccessibleName("Sample rate")
        self._reasons, self._problems = QLabel(), QLabel()
        self._reasons.setProperty("soft", True)
        self._problems.setProperty("fault", True)
        for label in (self._reasons, self._problems):
            label.setWordWrap(True)
            label.setTextFormat(Qt.TextFormat.PlainText)
        self.grid = ColumnGrid()
        self.files = QListWidget()
        self.files.setAccessibleName("Recordings")
        self.files.setFixedWidth(190)
        self.files.addItems([each.path.name for each in drafts])
        self.files.setVisible(len(drafts) > 1)
        self.setting = SettingChooser(may_join)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        button = self.buttons.addButton("Import", QDialogButtonBox.ButtonRole.AcceptRole)
        assert button is not None
        self.import_button = button
        for keys in ("Ctrl+Return", "Ctrl+Enter"):
            QShortcut(QKeySequence(keys), self, button.click)
        button.setToolTip("Read the file as shown (Enter, or Ctrl+Enter from within a cell)")
        self.before = QPushButton("Use the names, roles and units agreed on for such a file before")
        self._lay_out()
        self._connect()
        self.files.setCurrentRow(0)
        self._fill()

    def _lay_out(self) -> None:
        self._form = QFormLayout()
        self._form.addRow("Separator", self.delimiter)
        self._form.addRow("Decimal sign", self.decimal)
        self._form.addRow("Sample rate", self.rate)
        understood = QFrame(objectName="card")
        column = QVBoxLayout(understood)
        column.addWidget(QLabel("What was understood"))
        column.addWidget(self._reasons)
        top = QHBoxLayout()
        top.addLayout(self._form, 1)
        top.addWidget(understood, 2)
        right = QVBoxLayout()
        right.setSpacing(10)
        for part in (self._heading, self._summary):
            right.addWidget(part)
        right.addLayout(top)
        right.addWidget(self.before, alignment=Qt.AlignmentFlag.AlignLeft)
        right.addWidget(self.grid, 1)
        right.addWidget(self.setting)
        right.addWidget(self._problems)
        body = QHBoxLayout()
        body.setSpacing(14)
        body.addWidget(self.files)
        body.addLayout(right, 1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(20, 16, 20, 16)
        whole.addLayout(body, 1)
        whole.addWidget(self.buttons)

    def _connect(self) -> None:
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        self.files.currentRowChanged.connect(self._look_at)
        self.delimiter.activated.connect(self._split_anew)
        self.decimal.activated.connect(self._split_anew)
        self.rate.textEdited.connect(lambda text: self._take(with_rate(self.draft, text)))
        self.before.clicked.connect(lambda: self._take(with_what_was_agreed(self.draft), refill=True))
        self.grid.typed.connect(self._cell_typed)
        self.grid.role_chosen.connect(self._role_chosen)
        self.setting.changed.connect(self._set)

    @staticmethod
    def _choice(entries: Sequence[tuple[str, str]], name: str) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(name)
        for title, value in entries:
            box.addItem(title, value)
        return box

    @property
    def draft(self) -> ImportDraft:
        """How the file that is looked at will be read."""
        return self.plan.drafts[self._at]

    def _look_at(self, at: int) -> None:
        self._at = max(at, 0)
        self._fill()

    def _fill(self) -> None:
        """Show the draft."""
        dialect = self.draft.dialect
        self._heading.setText(self.draft.path.name)
        for box in (self.delimiter, self.decimal):
            self._form.setRowVisible(box, self.draft.preview.textual)
        self.delimiter.setCurrentIndex(self.delimiter.findData(dialect.delimiter))
        self.decimal.setCurrentIndex(self.decimal.findData(dialect.decimal))
        if self.rate.text() != self.draft.rate_text:
            self.rate.setText(self.draft.rate_text)
        self.before.setVisible(self.draft.agreed_before is not None)
        self.grid.show_draft(self.draft)
        self._judge()
        self._stand_at_what_is_missing()

    def _stand_at_what_is_missing(self) -> None:
        """Let the keyboard begin at the rate where there is none, else at the button: Enter imports."""
        dialect = self.draft.dialect
        if dialect.time_column is None and not dialect.rate_hz:
            self.rate.setFocus()
        elif not self.plan.problems:
            self.import_button.setFocus()

    def _take(self, changed: ImportDraft, refill: bool = False) -> None:
        self.plan = self.plan.with_draft(self._at, changed)
        if refill:
            self._fill()
        else:
            self._judge()

    def _set(self) -> None:
        into_open = self.setting.into.currentIndex() == 1
        self.plan = self.plan.with_target(into_open)
        if self.plan.settings[self._at]:
            self.plan = self.plan.with_setting(self._at, self.setting.text)
        self._judge()

    def _judge(self) -> None:
        """Say what is understood and what is still missing, of this file and of the others."""
        self._summary.setText(self.draft.summary)
        found = self.draft.preview
        told = (*self.plan.of_parts, *found.told)
        lines = [f"{'!' if notice.severity.asks else '·'} {notice.sentence}" for notice in told]
        lines += [f"· {reason}" for reason in found.reasons]
        self._reasons.setText("\n".join(lines))
        self.setting.blockSignals(True)
        self.setting.show_text(self.plan.settings[self._at])
        self.setting.blockSignals(False)
        problems = self.plan.problems_of(self._at)
        self._problems.setText("\n".join(problem[:1].upper() + problem[1:] for problem in problems))
        self._problems.setVisible(bool(problems))
        for at in range(len(self.plan.drafts)):
            item = self.files.item(at)
            if item is not None:
                item.setText(("⚠ " if self.plan.problems_of(at) else "") + self.plan.drafts[at].path.name)
        self.import_button.setEnabled(not self.plan.problems)
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

    def _cell_typed(self, row: int, columns: list[int], text: str) -> None:
        changed = self.draft
        for at in columns:
            if row == SCALE:
                changed = with_scale(changed, at, text)
            else:
                changed = with_column(changed, at, name=text) if row == NAME else with_column(changed, at, symbol=text)
        self._take(changed, refill=len(columns) > 1)

    def _role_chosen(self, columns: list[int], role: ColumnRole) -> None:
        changed = self.draft
        for at in columns:
            changed = with_column(changed, at, role=role)
        self._take(changed, refill=True)
