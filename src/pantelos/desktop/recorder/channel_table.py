"""The inputs of a recorder as a table: which are recorded, under what name, through what."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QAbstractItemView, QComboBox, QHeaderView, QTableWidget, QTableWidgetItem, QWidget

from pantelos.errors import PantelosError, StudyError
from pantelos.recorder.driver import RecorderInput
from pantelos.recorder.order import Order, WantedChannel, channel_from
from pantelos.study.operations import formula_name

_NAME, _RANGE, _COUPLING, _TYPE, _CHAIN = range(5)
_HEADS = ("name", "range", "coupling", "input", "transducer")
_MEASURED = "measured"
_USUAL_CHAINS = ("direct", "divider 100", "clamp 100 mV/A", "shunt 10 mohm")


class ChannelTable(QTableWidget):
    """Rows of inputs."""

    changed = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(0, len(_HEADS), parent)
        self._inputs: tuple[RecorderInput, ...] = ()
        self.setAccessibleName("Inputs of the recorder")
        self._chains: list[str] = list(_USUAL_CHAINS)
        self.setHorizontalHeaderLabels(_HEADS)
        self.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.setShowGrid(False)
        vertical, across = self.verticalHeader(), self.horizontalHeader()
        assert vertical is not None and across is not None
        vertical.hide()
        vertical.setDefaultSectionSize(28)
        across.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        across.setSectionResizeMode(_CHAIN, QHeaderView.ResizeMode.Stretch)
        for column, wide in ((_NAME, 74), (_RANGE, 106), (_COUPLING, 74), (_TYPE, 116)):
            self.setColumnWidth(column, wide)
        self.itemChanged.connect(lambda _: self.changed.emit())

    def show_inputs(self, inputs: Sequence[RecorderInput], chains: Sequence[str] = ()) -> None:
        """Show the inputs of a recorder; those that see something are ticked. `chains` are offered as transducers."""
        self._inputs = tuple(inputs)
        self._chains = list(dict.fromkeys([*_USUAL_CHAINS[:1], *chains, *_USUAL_CHAINS[1:]]))
        self.blockSignals(True)
        self.setRowCount(len(inputs))
        for row, one in enumerate(inputs):
            name = QTableWidgetItem(formula_name(one.name))
            name.setCheckState(Qt.CheckState.Unchecked if one.name == f"in{one.number}" else Qt.CheckState.Checked)
            name.setToolTip(f"Input {one.number}; ticked ones are recorded")
            self.setItem(row, _NAME, name)
            self._put(row, one.name, _RANGE, [_MEASURED, *(f"{x:g} V" for x in one.ranges_v)], False)
            self._put(row, one.name, _COUPLING, ["DC", "AC"], False)
            self._put(row, one.name, _TYPE, ["differential", "single-ended"], False)
            self._put(row, one.name, _CHAIN, self._chains, True)
        self.blockSignals(False)
        self.changed.emit()

    def _put(self, row: int, of: str, column: int, words: Sequence[str], typed: bool) -> None:
        box = QComboBox(accessibleName=f"{_HEADS[column]} of {of}")
        box.setEditable(typed)
        box.addItems(list(words))
        box.setFrame(False)
        line = box.lineEdit()
        if line is not None:  # the beginning of what does not fit says most
            box.currentTextChanged.connect(lambda _: line.setCursorPosition(0))
        box.currentTextChanged.connect(lambda _: self.changed.emit())
        self.setCellWidget(row, column, box)

    def box(self, row: int, column: int) -> QComboBox:
        """Return the choice in a cell."""
        found = self.cellWidget(row, column)
        assert isinstance(found, QComboBox)
        return found

    def set_chain(self, row: int, text: str) -> None:
        """Choose a transducer."""
        self.box(row, _CHAIN).setCurrentText(text)

    def show_ranges(self, order: Order) -> None:
        """Show the ranges that were measured."""
        for one in order.channels:
            row = next(k for k, known in enumerate(self._inputs) if known.number == one.input)
            if one.range_v is not None:
                self.box(row, _RANGE).setCurrentText(f"{one.range_v:g} V")

    def channels(self) -> tuple[WantedChannel, ...]:
        """Return what is ticked.

        Raises
        ------
        StudyError
            When a row cannot be read, with its name.
        """
        found = []
        for row, known in enumerate(self._inputs):
            name = self.item(row, _NAME)
            if name is None or name.checkState() is not Qt.CheckState.Checked:
                continue
            parts = [self.box(row, column).currentText().strip() for column in (_CHAIN, _COUPLING, _TYPE)]
            chosen = self.box(row, _RANGE).currentText()
            parts += [f"range {chosen}"] if chosen != _MEASURED else []
            text = ", ".join(part for part in parts if part and part != "direct")
            try:
                found.append(channel_from(f"{name.text().strip()}={known.number}: {text}"))
            except PantelosError as error:
                raise StudyError(f"{name.text()}: {error}") from error
        return tuple(found)
