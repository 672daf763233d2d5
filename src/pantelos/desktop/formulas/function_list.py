"""The function list: by category, with search; what each does, its arguments, and an example that runs on the open record."""

from html import escape

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSplitter,
    QTextBrowser,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from pantelos.desktop.document import Document
from pantelos.desktop.presenter.derive import answer_of_any
from pantelos.desktop.runner import Runner
from pantelos.errors import PantelosError
from pantelos.formula.examples import example_on
from pantelos.formula.functions import Function, all_functions, function_named

_NONE = "The record has no channels that this example could be of."


class FunctionList(QWidget):
    """Chosen at the top, explained below."""

    failed = pyqtSignal(PantelosError)
    edit_wanted = pyqtSignal(str)

    def __init__(self, document: Document, runner: Runner, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._runner = document, runner
        self.search = QLineEdit(placeholderText="search functions", clearButtonEnabled=True, accessibleName="Search functions")
        self.search.textChanged.connect(self._filter)
        self.tree = QTreeWidget(headerHidden=True, accessibleName="Functions by category")
        self.tree.setIndentation(14)
        self.tree.setUniformRowHeights(True)
        self.tree.currentItemChanged.connect(lambda item, before: self._explain())
        self.tree.itemDoubleClicked.connect(lambda item, column: self.put())
        self.text = QTextBrowser(accessibleName="What the function does")
        self.answer = QLabel(wordWrap=True)
        self.try_it = QPushButton("Try the example", toolTip="Compute the example on the open record; nothing is changed")
        self.try_it.clicked.connect(self.run_example)
        self.use_it = QPushButton("Into the line", toolTip="Put the example into the derive line, to be changed")
        self.use_it.clicked.connect(self.put)
        buttons = QHBoxLayout()
        buttons.addWidget(self.try_it)
        buttons.addWidget(self.use_it)
        buttons.addStretch(1)
        below = QWidget()
        lower = QVBoxLayout(below)
        lower.setContentsMargins(0, 4, 0, 0)
        lower.addWidget(self.text, 1)
        lower.addWidget(self.answer)
        lower.addLayout(buttons)
        split = QSplitter(Qt.Orientation.Vertical)
        split.addWidget(self.tree)
        split.addWidget(below)
        split.setSizes([260, 260])
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.search)
        column.addWidget(split, 1)
        self._fill()

    def _fill(self) -> None:
        """List all functions by category."""
        for category in dict.fromkeys(function.category for function in all_functions()):
            branch = QTreeWidgetItem([category[:1].upper() + category[1:]])
            self.tree.addTopLevelItem(branch)
            for function in all_functions():
                if function.category == category:
                    leaf = QTreeWidgetItem([function.call])
                    leaf.setData(0, Qt.ItemDataRole.UserRole, function.name)
                    leaf.setToolTip(0, function.help)
                    branch.addChild(leaf)
        first = self.tree.topLevelItem(0)
        if first is not None:
            first.setExpanded(True)
            self.tree.setCurrentItem(first.child(0))

    def _filter(self, text: str) -> None:
        """Show the functions whose name or help holds every word."""
        words = text.lower().split()
        best: QTreeWidgetItem | None = None
        for at in range(self.tree.topLevelItemCount()):
            branch = self.tree.topLevelItem(at)
            assert branch is not None
            found = 0
            for k in range(branch.childCount()):
                leaf = branch.child(k)
                assert leaf is not None
                function = function_named(leaf.data(0, Qt.ItemDataRole.UserRole))
                assert function is not None
                hidden = not all(word in f"{function.name} {function.category} {function.help}".lower() for word in words)
                leaf.setHidden(hidden)
                found += not hidden
                if not hidden and (best is None or (words and function.name.startswith(words[0]))):
                    best = best if best is not None and _name(best).startswith(words[0] if words else "") else leaf
            branch.setHidden(not found)
            branch.setExpanded(bool(words) and found > 0)
        if words and best is not None:
            self.tree.setCurrentItem(best)

    def show_function(self, name: str) -> None:
        """Choose a function by its name."""
        self.search.clear()
        for at in range(self.tree.topLevelItemCount()):
            branch = self.tree.topLevelItem(at)
            assert branch is not None
            for k in range(branch.childCount()):
                leaf = branch.child(k)
                if leaf is not None and _name(leaf) == name:
                    branch.setExpanded(True)
                    self.tree.setCurrentItem(leaf)

    def chosen(self) -> Function | None:
        """Return the function chosen, if any."""
        item = self.tree.currentItem()
        return function_named(_name(item)) if item is not None and _name(item) else None

    def example(self) -> str | None:
        """Return the example of the chosen function on the open record."""
        function, evaluation = self.chosen(), self._document.evaluation
        if function is None or evaluation is None:
            return None
        return example_on(function, evaluation.names.types, evaluation.names.searches)

    def refresh(self) -> None:
        """Show the example of the chosen function with the channels of the present study."""
        self._explain()

    def _explain(self) -> None:
        function = self.chosen()
        self.answer.clear()
        example = self.example()
        self.try_it.setEnabled(example is not None)
        self.use_it.setEnabled(example is not None)
        self.text.setHtml(explained(function, example) if function is not None else "")

    def run_example(self) -> None:
        """Compute the example on the open record."""
        evaluation, example = self._document.evaluation, self.example()
        if evaluation is None or example is None:
            return
        self.answer.setText("…")
        self._runner.run(
            "example",
            lambda progress: answer_of_any(evaluation, example),
            self.answer.setText,
            lambda error: self.answer.setText(str(error)),
        )

    def put(self) -> None:
        """Put the example into the derive line."""
        example = self.example()
        if example is not None:
            self.edit_wanted.emit(example)


def _name(item: QTreeWidgetItem) -> str:
    return str(item.data(0, Qt.ItemDataRole.UserRole) or "")


def explained(function: Function, example: str | None) -> str:
    """Return what a function does as rich text."""
    rows = "".join(
        f"<tr><td><b>{escape(p.shown)}</b>&nbsp;&nbsp;</td><td>{escape(p.wanted)}</td></tr>" for p in function.parameters
    )
    parts = [f"<p><b>{escape(function.call)}</b></p><p>{escape(function.help)}</p>", f"<table>{rows}</table>" if rows else ""]
    if function.formula:
        parts.append(f"<p>{escape(function.formula)}</p>")
    if function.source:
        parts.append(f"<p>Source: {escape(function.source)}</p>")
    parts.append(f"<p>Example: <b>{escape(example)}</b></p>" if example is not None else f"<p>{_NONE}</p>")
    return "".join(parts)
