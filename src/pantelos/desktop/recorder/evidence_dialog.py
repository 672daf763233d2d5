"""What a self-check found, and whether the study keeps it."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QHeaderView, QLabel, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from pantelos.study.report import Evidence

_HEADS = ("what", "channel", "value", "")
_VALUE, _REMARK = 2, 3


class EvidenceDialog(QDialog):
    """Shows it."""

    def __init__(self, found: Evidence, may_keep: bool, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(found.title)
        self.resize(860, 520)
        heading = QLabel(f"{found.recorder}, {found.at}")
        said = QLabel(found.said)
        said.setProperty("soft", True)
        said.setWordWrap(True)
        self.table = QTableWidget(len(found.rows), len(_HEADS))
        self.table.setHorizontalHeaderLabels(_HEADS)
        self.table.setShowGrid(False)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        for at, row in enumerate(found.rows):
            for column, text in enumerate((row.what, row.channel, row.text, row.remark)):
                item = QTableWidgetItem(text)
                if column == _VALUE:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(at, column, item)
        down, across = self.table.verticalHeader(), self.table.horizontalHeader()
        assert down is not None and across is not None
        down.hide()
        down.setDefaultSectionSize(24)
        across.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        across.setSectionResizeMode(_REMARK, QHeaderView.ResizeMode.Stretch)
        buttons = QDialogButtonBox()
        self.keep = buttons.addButton("Keep in the study", QDialogButtonBox.ButtonRole.AcceptRole)
        assert self.keep is not None
        self.keep.setEnabled(may_keep)
        self.keep.setToolTip("As a table and a sheet of the report" if may_keep else "Open a study first")
        buttons.addButton(QDialogButtonBox.StandardButton.Close)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        whole = QVBoxLayout(self)
        for widget in (heading, said):
            whole.addWidget(widget)
        whole.addWidget(self.table, 1)
        whole.addWidget(buttons)
