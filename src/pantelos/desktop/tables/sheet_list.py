"""The left of the Tables page: the sheets of the report in their order, the further tables, intervals, what is handed over."""

from collections.abc import Callable, Iterator, Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QGridLayout, QLabel, QListWidget, QListWidgetItem, QMenu, QPushButton, QVBoxLayout, QWidget

from pantelos.desktop.tables.whole_rows import WholeRows
from pantelos.notation import from_to
from pantelos.sheets.writers import WRITERS
from pantelos.study.model import Study
from pantelos.tables.bundle import BUNDLE_SUFFIX
from pantelos.tables.composition import chosen_places, chosen_sheets
from pantelos.tables.kinds import TABLES
from pantelos.tables.writing import WRITTEN

_ID = Qt.ItemDataRole.UserRole
_FIRST, _BESIDE = "power", 3  # what is shown at first; buttons in a row
_CHECKED, _UNCHECKED = Qt.CheckState.Checked, Qt.CheckState.Unchecked


class SheetList(QFrame):
    """Lists what can be shown; a tick puts a sheet into the report, dragging gives it its place."""

    chosen = pyqtSignal()  # another one is to be shown
    arranged = pyqtSignal(object)  # ids of sheets in order, and whether each is in
    places_chosen = pyqtSignal(object)  # intervals that are ticked
    report_wanted = pyqtSignal(str)  # suffix
    tables_wanted = pyqtSignal(str, bool)  # suffix, whether the shown table only

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent, objectName="side")
        self._filling = False
        self.kinds, self.intervals = WholeRows(), WholeRows()
        self.kinds.setAccessibleName("Sheets of the report, and further tables")
        self.kinds.setDragDropMode(QListWidget.DragDropMode.InternalMove)
        self.intervals.setAccessibleName("Intervals side by side")
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 12, 8, 12)
        for title, role, widget, stretch in (
            ("Sheets", "heading", self.kinds, 4),
            ("Intervals side by side", "soft", self.intervals, 2),
        ):
            widget.setStyleSheet("background: transparent;")
            widget.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            widget.setTextElideMode(Qt.TextElideMode.ElideRight)
            widget.setMinimumHeight(48)
            label = QLabel(title)
            label.setProperty(role, True)
            column.addWidget(label)
            column.addWidget(widget, stretch)
        label = QLabel("Hand over")
        label.setProperty("soft", True)
        column.addWidget(label)
        column.addLayout(self._buttons())
        self.kinds.currentItemChanged.connect(lambda *_: self._tell(self.chosen.emit))
        self.kinds.itemChanged.connect(lambda *_: self._tell(self._arrange))
        model = self.kinds.model()
        assert model is not None
        model.rowsMoved.connect(lambda *_: self._tell(self._arrange))
        self.intervals.itemChanged.connect(lambda *_: self._tell(lambda: self.places_chosen.emit(tuple(self.ticked_places()))))

    def _buttons(self) -> QGridLayout:
        grid = QGridLayout()
        for column in range(_BESIDE):
            grid.setColumnStretch(column, 1)
        report = [(suffix[1:].upper(), suffix, f"The ticked sheets as {suffix[1:].upper()}") for suffix in WRITTEN]
        report.append(("Bundle", BUNDLE_SUFFIX, "Study, recordings, tables and report in one file"))
        for at, (title, suffix, said) in enumerate(report):
            button = QPushButton(title, toolTip=said)
            button.clicked.connect(lambda _=False, suffix=suffix: self.report_wanted.emit(suffix))
            grid.addWidget(button, at // _BESIDE, at % _BESIDE)
        grid.addWidget(self._tables_button(), len(report) // _BESIDE, len(report) % _BESIDE)
        return grid

    def _tables_button(self) -> QPushButton:
        button: QPushButton = QPushButton("Tables", toolTip="Tables with all their columns, numbers in full")
        menu = QMenu(self)
        for title, alone in (("All tables", False), ("The shown table", True)):
            for writer in WRITERS:
                if alone or not writer.single:
                    action = menu.addAction(f"{title} as {writer.title}")
                    assert action is not None
                    action.triggered.connect(lambda _=False, s=writer.suffix, a=alone: self.tables_wanted.emit(s, a))
            menu.addSeparator()
        button.setMenu(menu)
        return button

    def _tell(self, what: Callable[[], None]) -> None:
        if not self._filling:
            what()

    def _arrange(self) -> None:
        sheets = [item for item in _items(self.kinds) if item.flags() & Qt.ItemFlag.ItemIsUserCheckable]
        self.arranged.emit([(str(item.data(_ID)), item.checkState() is _CHECKED) for item in sheets])

    def fill(self, study: Study) -> None:
        """Show what the study says of its report."""
        self._filling = True
        wanted = self.shown() or _first(study)
        self.kinds.clear()
        sheets = chosen_sheets(study.report)
        for kind, on in sheets:
            lacking = kind.layout.lacks(study) if kind.layout is not None else ""
            item = self._list(kind.id, kind.sheet_title, lacking or kind.sheet_help)
            item.setCheckState(_CHECKED if on else _UNCHECKED)
            if lacking:  # it can still be looked at: it says what to do
                item.setForeground(self.palette().placeholderText())
        laid_out = {kind.id for kind, _ in sheets}
        heading = QListWidgetItem("Further tables")
        heading.setFlags(Qt.ItemFlag.NoItemFlags)
        self.kinds.addItem(heading)
        for kind in TABLES:
            if kind.id not in laid_out:
                own = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
                self._list(kind.id, kind.title, kind.help).setFlags(own)
        self.select(wanted)
        places = chosen_places(study)
        self.intervals.clear()
        for interval in study.intervals:
            item = QListWidgetItem(interval.name)
            item.setToolTip(from_to(interval.start_s, interval.stop_s))
            item.setCheckState(_CHECKED if interval.name in places else _UNCHECKED)
            self.intervals.addItem(item)
        self._filling = False

    def _list(self, id_: str, title: str, said: str) -> QListWidgetItem:
        item = QListWidgetItem(title)
        item.setData(_ID, id_)
        item.setToolTip(said)
        self.kinds.addItem(item)
        return item

    def shown(self) -> str:
        """Return what is chosen, by its id."""
        item = self.kinds.currentItem()
        return str(item.data(_ID) or "") if item is not None else ""

    def select(self, id_: str) -> None:
        """Choose what is shown."""
        for at, item in enumerate(_items(self.kinds)):
            if item.data(_ID) == id_:
                self.kinds.setCurrentRow(at)

    def ticked_places(self) -> list[str]:
        """Return the intervals that are ticked."""
        return [item.text() for item in _items(self.intervals) if item.checkState() is _CHECKED]

    def tick_places(self, names: Sequence[str]) -> None:
        """Tick these intervals and no others."""
        self._filling = True
        for item in _items(self.intervals):
            item.setCheckState(_CHECKED if item.text() in names else _UNCHECKED)
        self._filling = False
        self.places_chosen.emit(tuple(self.ticked_places()))


def _items(of: QListWidget) -> Iterator[QListWidgetItem]:
    return (item for at in range(of.count()) if (item := of.item(at)) is not None)


def _first(study: Study) -> str:
    """Return the sheet that is shown at first: that of power, or where there is none yet the first that has something."""
    kinds = {kind.id: kind for kind, _ in chosen_sheets(study.report)}
    fillable = [id_ for id_, kind in kinds.items() if kind.layout is not None and not kind.layout.lacks(study)]
    return _FIRST if _FIRST in fillable else next((id_ for id_ in fillable if id_ != "title"), _FIRST)
