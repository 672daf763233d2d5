"""Beside the title page: what it says, the decision rule with what each would give, equipment, and whether it can be signed."""

from html import escape
from pathlib import Path

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent
from PyQt6.QtWidgets import (
    QButtonGroup,
    QFileDialog,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QRadioButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from pantelos.desktop.presenter.signing import Signing
from pantelos.desktop.theme import Theme
from pantelos.errors import PantelosError
from pantelos.notice import Severity
from pantelos.quality.rules import RULES
from pantelos.study import operations as op
from pantelos.study.model import Study
from pantelos.study.report import FACTS

_HINTS = {
    "report": "number of the report",
    "type, serial": "of the object",
    "date": "of the test, as 2026-11-26",
    "issued": "day of issue, as 2026-12-01",
    "ambient": "21.4 °C, 43 %, 968 hPa",
}
_EQUIPMENT = "a line each: clamp 100 mV/A; serial CL-207; calibrated 2025-12-03; due 2026-12-03"
_WIDE, _LEAST, _LINES = 338, 240, 76  # pixels


class _Lines(QPlainTextEdit):
    """Says when it is left."""

    left = pyqtSignal()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        """Have what was typed taken."""
        super().focusOutEvent(event)
        self.left.emit()


class TitlePanel(QScrollArea):
    """Asks for what a title page says."""

    fact = pyqtSignal(str, str)  # label, text
    rule = pyqtSignal(str)
    equipment = pyqtSignal(object)  # lines
    logo = pyqtSignal(object)  # the path of a picture, or None
    sealing = pyqtSignal()
    failed = pyqtSignal(PantelosError)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self._signing: Signing | None = None
        self.setMinimumWidth(_LEAST)
        self.setMaximumWidth(_WIDE)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFrameShape(QScrollArea.Shape.NoFrame)
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(12, 10, 16, 12)
        column.addWidget(self._heading("What it says"))
        form = QFormLayout()
        self.facts = {label: QLineEdit(placeholderText=_HINTS.get(label, "")) for label in FACTS}
        for label, edit in self.facts.items():
            edit.setAccessibleName(label)
            edit.editingFinished.connect(lambda label=label, edit=edit: self.fact.emit(label, edit.text()))
            form.addRow(label, edit)
        column.addLayout(form)
        self.with_logo, self.without_logo = QPushButton("Logo…"), QPushButton("No logo")
        self.with_logo.setToolTip("A PNG or SVG picture at the head of the title page")
        self.with_logo.clicked.connect(self._choose_logo)
        self.without_logo.clicked.connect(lambda: self.logo.emit(None))
        beside = QHBoxLayout()
        for button in (self.with_logo, self.without_logo):
            beside.addWidget(button)
        beside.addStretch(1)
        column.addLayout(beside)
        column.addWidget(self._heading("Decision rule"))
        column.addLayout(self._rules())
        column.addWidget(self._heading("Equipment"))
        self.lines, self._told = _Lines(placeholderText=_EQUIPMENT), ""
        self.lines.setAccessibleName("Equipment")
        self.lines.setFixedHeight(_LINES)
        self.lines.setTabChangesFocus(True)
        self.lines.left.connect(self.take_equipment)
        column.addWidget(self.lines)
        column.addWidget(self._heading("Can it be signed?"))
        self.points = QLabel(wordWrap=True)
        column.addWidget(self.points)
        self.close_report = QPushButton("Close this version")
        self.close_report.setToolTip("Keeps the report as it is now beside later ones; it can be written again as it was")
        self.close_report.clicked.connect(lambda _: self.sealing.emit())
        column.addWidget(self.close_report, alignment=Qt.AlignmentFlag.AlignLeft)
        self.versions = QLabel(wordWrap=True)
        self.versions.setProperty("soft", True)
        column.addWidget(self.versions)
        column.addStretch(1)
        self.setWidget(inside)

    def sizeHint(self) -> QSize:
        """Ask for the width at which nothing is cut; a narrow window may give less."""
        return QSize(_WIDE, super().sizeHint().height())

    def _heading(self, text: str) -> QLabel:
        label = QLabel(text)
        label.setProperty("heading", True)
        return label

    def _rules(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setColumnStretch(0, 1)
        grid.setHorizontalSpacing(5)
        self.rules, self._counts = QButtonGroup(self), dict[str, list[QLabel]]()
        for column, title in enumerate(("inside", "undecided", "outside"), start=1):
            label = QLabel(title)
            label.setProperty("soft", True)
            label.setStyleSheet("font-size: 11px;")
            grid.addWidget(label, 0, column)
        for row, (id_, one) in enumerate(RULES.items(), start=1):
            button = QRadioButton(one.title, toolTip=one.sentence)
            button.setProperty("rule", id_)
            button.clicked.connect(lambda _=False, id_=id_: self.rule.emit(id_))
            self.rules.addButton(button)
            grid.addWidget(button, row, 0)
            self._counts[id_] = [QLabel() for _ in range(3)]
            for column, label in enumerate(self._counts[id_], start=1):
                grid.addWidget(label, row, column)
        return grid

    def _choose_logo(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Logo of the report", "", "Pictures (*.png *.svg)")
        if name:
            self.logo.emit(Path(name))

    def take_equipment(self) -> None:
        """Take the lines of equipment, or say which one cannot be."""
        lines = [line for line in self.lines.toPlainText().splitlines() if line.strip()]
        try:
            for line in lines:
                op.equipment_from(line)
        except PantelosError as error:
            self.failed.emit(error)
            return
        self.equipment.emit(lines)

    def show_study(self, study: Study) -> None:
        """Show what a study says."""
        for label, edit in self.facts.items():
            if not edit.hasFocus():
                edit.setText(study.report.facts.get(label, ""))
                edit.setCursorPosition(0)
        self.versions.setText("; ".join(f"version {one.version} closed, issued {one.issued}" for one in study.sealed))
        self.versions.setVisible(bool(study.sealed))
        self.without_logo.setVisible(bool(study.report.logo))
        for button in self.rules.buttons():
            button.setChecked(button.property("rule") == study.quality.rule)
        told = "\n".join(one.text for one in study.report.equipment)
        if told != self._told:  # what could not be taken stays to be mended
            self._told = told
            self.lines.setPlainText(told)

    def show_signing(self, found: Signing | None) -> None:
        """Show what each rule would give, and the open points."""
        self._signing = found
        for id_, labels in self._counts.items():
            for label, n in zip(labels, found.counts.get(id_, ("", "", "")) if found is not None else ("", "", ""), strict=True):
                label.setText(str(n))
        points = found.points if found is not None else ()
        colours = {Severity.FAULT: self.theme.fault, Severity.CAUTION: self.theme.caution, Severity.NOTE: self.theme.soft}
        rows = [
            f'<tr><td style="color:{colours.get(one.severity, self.theme.good)}"><b>{one.severity.mark}</b>&nbsp;</td>'
            f'<td>{escape(one.text)}<br><span style="color:{self.theme.soft}">{escape(one.detail)}</span></td></tr>'
            for one in points
        ]
        nothing = "Nothing stands against it." if found is not None else ""
        self.points.setText(f'<table cellpadding="3">{"".join(rows)}</table>' if rows else nothing)

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self.theme = theme
        self.show_signing(self._signing)
