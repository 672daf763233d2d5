"""The formula list: every formula with its result, its users and how it stands with it."""

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QObject, QPoint, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QPainter
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QListView,
    QMenu,
    QPushButton,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from pantelos.desktop.document import Document
from pantelos.desktop.drawing import painting
from pantelos.desktop.formulas.group_dialog import GroupDialog
from pantelos.desktop.parts.menus import offer
from pantelos.desktop.presenter.formulas import FormulaRow, State, formula_rows
from pantelos.desktop.theme import Theme
from pantelos.errors import PantelosError
from pantelos.formula.compiled import Kind
from pantelos.notation import counted
from pantelos.study import operations as op
from pantelos.study.groups import GROUPS, with_group
from pantelos.study.model import Study

_ROW, _ROW_SAID = 44, 62
_EMPTY = "No formulas yet. Derive one in the line above, such as p1 = u1 * i1, or insert a group."


class _Rows(QAbstractListModel):
    """The rows, as the list asks for them."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.rows: list[FormulaRow] = []

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:
        """Return how many formulas there are."""
        return 0 if parent.isValid() else len(self.rows)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        """Return a row: as text for those who listen, whole for painting, explained for the pointer."""
        row = self.rows[index.row()]
        if role == Qt.ItemDataRole.UserRole:
            return row
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return f"{row.name} = {row.expression}, {row.result or row.state}"
        if role == Qt.ItemDataRole.ToolTipRole:
            users = f"\nused by {', '.join(row.used_by)}" if row.used_by else ""
            return f"{row.name} = {row.expression}\n{row.result or row.state}{users}" + (f"\n{row.said}" if row.said else "")
        return None

    def show(self, rows: list[FormulaRow]) -> None:
        """Show other rows."""
        if rows != self.rows:
            self.beginResetModel()
            self.rows = rows
            self.endResetModel()


class _Painter(QStyledItemDelegate):
    """Paints a formula in two lines, in three where something is wrong."""

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.theme = theme

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        """Return the size of a row."""
        return QSize(200, _ROW_SAID if index.data(Qt.ItemDataRole.UserRole).said else _ROW)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Paint one row."""
        row: FormulaRow = index.data(Qt.ItemDataRole.UserRole)
        assert painter is not None
        painter.save()
        theme = self.theme
        chosen = self.parent().selectionModel().isSelected(index)  # type: ignore[union-attr]
        painter.fillRect(option.rect, QColor(theme.wash if chosen else theme.ground))
        box = QRectF(option.rect).adjusted(10, 5, -8, -4)
        line = box.height() / (3 if row.said else 2)
        strong, plain = painting.tabular(9.5), painting.tabular(9)
        strong.setWeight(QFont.Weight.DemiBold)
        quiet = QColor(theme.soft)
        ink = QColor(theme.ink) if row.state is State.GOOD else quiet if row.state is not State.BROKEN else QColor(theme.fault)
        users = f"used by {', '.join(row.used_by)}" if row.used_by else ""
        self._line(painter, box, 0, line, strong, ink, row.name, plain, quiet, row.result or str(row.state))
        self._line(painter, box, 1, line, plain, quiet, row.expression, plain, quiet, users)
        if row.said:
            self._line(painter, box, 2, line, plain, QColor(theme.fault), row.said, plain, quiet, "")
        painter.setPen(QColor(theme.rule))
        painter.drawLine(option.rect.bottomLeft(), option.rect.bottomRight())
        painter.restore()

    @staticmethod
    def _line(painter: QPainter, box: QRectF, k: int, height: float, font: QFont, ink: QColor, text: str,
              beside: QFont, soft: QColor, right: str) -> None:  # fmt: skip
        """Write one line: a text from the left, another at the right, which gets up to half of the room."""
        place = QRectF(box.left(), box.top() + k * height, box.width(), height)
        metrics = QFontMetricsF(beside)
        shown = metrics.elidedText(right, Qt.TextElideMode.ElideRight, 0.5 * place.width())
        taken = metrics.horizontalAdvance(shown) + 8 if shown else 0.0
        painter.setFont(beside)
        painter.setPen(soft)
        painter.drawText(place, int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter), shown)
        painter.setFont(font)
        painter.setPen(ink)
        left = QFontMetricsF(font).elidedText(text, Qt.TextElideMode.ElideRight, place.width() - taken)
        painter.drawText(place, int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter), left)


class FormulaList(QWidget):
    """Lists formulas; edits, renames, moves, switches and deletes them, and inserts groups."""

    failed = pyqtSignal(PantelosError)
    edit_wanted = pyqtSignal(str)

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self.asking: GroupDialog | None = None
        self._rows = _Rows(self)
        self.list = QListView(accessibleName="Formulas")
        self.list.setModel(self._rows)
        self._painter = _Painter(theme, self.list)
        self.list.setItemDelegate(self._painter)
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.list.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.list.customContextMenuRequested.connect(self._menu)
        self.list.doubleClicked.connect(lambda index: self.edit())
        self._empty = QLabel(_EMPTY, wordWrap=True)
        self._empty.setProperty("soft", True)
        self._count = QLabel()
        self._count.setProperty("soft", True)
        group = QPushButton(
            "Insert group", toolTip="Insert ready-made formulas: power, resistance, rms per cycle, pulses, energy"
        )
        group.setMenu(self._group_menu(group))
        row = QHBoxLayout()
        row.addWidget(self._count, 1)
        row.addWidget(group)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self._empty)
        column.addWidget(self.list, 1)
        column.addLayout(row)

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self._painter.theme = theme
        self.list.viewport().update()  # type: ignore[union-attr]

    def refresh(self) -> None:
        """Show the formulas of the present study; the chosen one stays chosen."""
        evaluation, chosen = self._document.evaluation, self.chosen()
        self._rows.show(formula_rows(evaluation) if evaluation is not None else [])
        self._empty.setVisible(not self._rows.rows)
        self._count.setText(counted(len(self._rows.rows), "formula"))
        if chosen is not None:
            self.choose(chosen)

    def choose(self, name: str) -> None:
        """Choose a formula, if it is there."""
        for at, row in enumerate(self._rows.rows):
            if row.name == name:
                self.list.setCurrentIndex(self._rows.index(at))

    def chosen(self) -> str | None:
        """Return the formula chosen, if any."""
        index = self.list.currentIndex()
        return self._rows.rows[index.row()].name if index.isValid() and index.row() < len(self._rows.rows) else None

    def _menu(self, place: QPoint) -> None:
        viewport = self.list.viewport()
        if self.chosen() is not None and viewport is not None:
            self.menu().exec(viewport.mapToGlobal(place))

    def menu(self) -> QMenu:
        """Return what can be done with the chosen formula."""
        menu, name = QMenu(self), self.chosen()
        formula = self._document.study.formula(name) if name is not None else None
        if name is None or formula is None:
            return menu
        offer(menu, "Edit in the derive line", self.edit)
        offer(menu, "Rename…", self.ask_name)
        offer(menu, "Switch off" if formula.on else "Switch on", self.switch)
        offer(menu, "Move up", partial(self.shift, -1))
        offer(menu, "Move down", partial(self.shift, 1))
        menu.addSeparator()
        offer(menu, "Delete", self.delete)
        return menu

    def edit(self) -> None:
        """Put the chosen formula into the derive line."""
        formula = self._document.study.formula(self.chosen() or "")
        if formula is not None:
            self.edit_wanted.emit(formula.text)

    def ask_name(self) -> None:
        """Ask for another name; everything that uses the formula follows."""
        name = self.chosen()
        if name is None:
            return
        new, given = QInputDialog.getText(self, "Rename", f"Another name for {name}; formulas that use it follow", text=name)
        if given and new.strip() != name:
            self.rename(name, new.strip())

    def rename(self, name: str, new: str) -> None:
        """Give a formula another name."""
        self._take(lambda study: op.rename_channel(study, name, new), f"rename {name}")
        self.choose(new)

    def switch(self) -> None:
        """Switch the chosen formula off, or on again."""
        formula = self._document.study.formula(self.chosen() or "")
        if formula is not None:
            word = "off" if formula.on else "on"
            self._take(lambda study: op.switch_formula(study, formula.name, not formula.on), f"switch {formula.name} {word}")

    def shift(self, by: int) -> None:
        """Move the chosen formula up or down."""
        name = self.chosen()
        if name is not None:
            self._take(lambda study: op.move_formula(study, name, by), f"move {name}")

    def delete(self) -> None:
        """Delete the chosen formula; refused, with a word on who uses it, while others do."""
        name = self.chosen()
        if name is not None:
            self._take(lambda study: op.remove_formula(study, name), f"delete {name}")

    def _take(self, change: Callable[[Study], Study], step: str) -> None:
        try:
            self._document.take(change(self._document.study), step)
        except PantelosError as error:
            self.failed.emit(error)

    def _group_menu(self, parent: QWidget) -> QMenu:
        menu = QMenu(parent)
        for group in GROUPS:
            offer(menu, f"{group.title}…", partial(self.ask_group, group.id), tip=group.help)
        return menu

    def ask_group(self, id_: str) -> None:
        """Ask which channels a group stands for, and insert its formulas."""
        evaluation = self._document.evaluation
        if evaluation is None:
            return
        self.asking = dialog = GroupDialog(GROUPS[id_], evaluation, self.window())
        dialog.accepted.connect(lambda: self.insert(dialog.texts(), GROUPS[id_].title))
        dialog.open()

    def insert(self, texts: tuple[str, ...], title: str) -> None:
        """Insert the formulas of a group, and show its curves and series."""
        self._take(lambda study: _shown(with_group(study, texts), study, self._document), f"insert {title.lower()}")


def _shown(study: Study, before: Study, document: Document) -> Study:
    """Return a study with a lane for every new formula that has a curve."""
    evaluation = document.evaluation
    assert evaluation is not None
    types = evaluation.on(study).names.types
    for formula in study.formulas:
        if before.formula(formula.name) is None and types.get(formula.name, (Kind.SCALAR,))[0] is not Kind.SCALAR:
            study = op.show_alone(study, formula.name, len(study.lanes))
            if types[formula.name][0] is Kind.SERIES:
                study = op.change_lane(study, len(study.lanes) - 1, drawing="steps")
    return study
