"""What is declared of the supply, in one line above the sheets that rest on it."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QMenu, QToolButton, QWidget

from pantelos.errors import PantelosError
from pantelos.quality.limits import known_sets, limit_set
from pantelos.study import operations as op
from pantelos.study.model import Quality


class SupplyLine(QWidget):
    """Asks for the declared voltage, the limit sets and what those need to know."""

    declared = pyqtSignal(object)  # another Quality
    course = pyqtSignal(str)  # a parameter that is wanted over time, by id
    failed = pyqtSignal(PantelosError)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._of = Quality()
        self.voltage = QLineEdit(placeholderText="230 V", toolTip="Declared voltage between the conductors of a voltage socket")
        self.voltage.setFixedWidth(84)
        self.sets = QToolButton(text="Limit sets", toolTip="What the supply is held against")
        self.sets.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.more = QLineEdit(
            placeholderText="more, such as  dip = 85 %, I_L = 100 A", toolTip="Declarations, with commas between them"
        )
        menu = QMenu(self.sets)
        menu.aboutToShow.connect(lambda: self._fill(menu))
        self.sets.setMenu(menu)
        self.over_time = QToolButton(text="Over time", toolTip="Show a parameter of the voltages as a lane of the traces")
        self.over_time.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        courses = QMenu(self.over_time)
        for one in op.COURSES:
            action = courses.addAction(one.title)
            assert action is not None
            action.setToolTip(one.formula)
            action.triggered.connect(lambda _, id_=one.id: self.course.emit(id_))
        courses.setToolTipsVisible(True)
        self.over_time.setMenu(courses)
        row = QHBoxLayout(self)
        row.setContentsMargins(22, 6, 16, 0)
        for title, widget in (("U_din", self.voltage), ("held against", self.sets), ("", self.more)):
            if title:
                label = QLabel(title)
                label.setProperty("soft", True)
                row.addWidget(label)
            row.addWidget(widget, 1 if widget is self.more else 0)
        row.addWidget(self.over_time)
        self.voltage.editingFinished.connect(self._take_voltage)
        self.more.returnPressed.connect(self._take_more)

    def show_declared(self, of: Quality) -> None:
        """Show what is declared."""
        self._of = of
        if not self.voltage.hasFocus():
            self.voltage.setText(f"{of.U_din:g} V" if of.U_din is not None else "")
        self.sets.setText(", ".join(of.sets) or "Limit sets")
        stated = ", ".join(f"{name} = {value:g}" for name, value in of.inputs.items())
        self.more.setToolTip(f"stated: {stated}" if stated else "Declarations, with commas between them")

    def _fill(self, menu: QMenu) -> None:
        menu.clear()
        for id_ in known_sets():
            try:
                of = limit_set(id_)
            except PantelosError as error:
                self.failed.emit(error)
                continue
            action = menu.addAction(of.title)
            assert action is not None
            action.setCheckable(True)
            action.setChecked(id_ in self._of.sets)
            needs = ", ".join(f"{name}: {what}" for name, what in of.inputs.items())
            action.setToolTip(f"{of.source}, {of.edition}. {of.remark}" + (f" Needs {needs}." if needs else ""))
            action.triggered.connect(lambda on, id_=id_: self._choose(id_, on))
        menu.setToolTipsVisible(True)

    def _choose(self, id_: str, on: bool) -> None:
        kept = [one for one in self._of.sets if one != id_]
        self._say(f"limits = {', '.join([*kept, id_] if on else kept) or 'none'}")

    def _take_voltage(self) -> None:
        text = self.voltage.text().strip()
        if text:
            self._say(f"U_din = {text}")

    def _take_more(self) -> None:
        if self._say(self.more.text()):
            self.more.clear()

    def _say(self, text: str) -> bool:
        """Declare one thing, or several with commas between them."""
        of = self._of
        try:
            texts = [text] if text.startswith("limits") else [part for part in text.split(",") if part.strip()]
            for part in texts:
                of = op.quality_from(of, part)
        except PantelosError as error:
            self.failed.emit(error)
            return False
        if of != self._of:
            self.declared.emit(of)
        return True
