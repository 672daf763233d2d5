"""The menu of the headings beside the lanes: which readings are shown, and whether intervals are compared."""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QPoint
from PyQt6.QtWidgets import QMenu

from pantelos.desktop.document import Document
from pantelos.desktop.presenter.columns import reading_columns
from pantelos.reading.kinds import single_readings
from pantelos.reading.reading import Group

if TYPE_CHECKING:
    from pantelos.desktop.traces.page import TracesPage

MOST_COLUMNS = 8
_COMPARING = (
    ("values", "values"),
    ("differences", "differences to the active interval"),
    ("ratios", "ratios to the active interval"),
)


class ColumnMenu(QObject):
    """Made anew whenever it is asked for."""

    def __init__(self, page: "TracesPage", document: Document) -> None:
        super().__init__(page)
        self._page, self._document = page, document

    def show(self, column: int, place: QPoint) -> None:
        """Offer what a column can show."""
        self.make(column).exec(place)

    def make(self, column: int) -> QMenu:
        """Return the menu of a heading."""
        menu, columns = QMenu(self._page), self._document.study.columns
        shown = reading_columns(self._document.study)
        if columns.compare is not None:
            for key, text in _COMPARING:
                self._offer(menu, text, columns.comparing == key, partial(self._change, "compare", comparing=key))
            menu.addSeparator()
            self._readings(self._sub(menu, "Compare"), columns.compare, lambda name: self._change("compare", compare=name))
            self._offer(menu, "Show readings of the active interval", None, lambda: self._change("columns", compare=None))
        else:
            here = columns.readings[column] if column < len(columns.readings) else None

            def put(name: str) -> None:
                changed = (*columns.readings[:column], name, *columns.readings[column + 1 :])
                self._change("columns", readings=changed)

            self._readings(self._sub(menu, "Show here"), here, put)
            if len(columns.readings) < MOST_COLUMNS:
                self._readings(
                    self._sub(menu, "Add a column"),
                    None,
                    lambda name: self._change("columns", readings=(*columns.readings, name)),
                )
            if here is not None and len(columns.readings) > 1:
                rest = tuple(name for at, name in enumerate(columns.readings) if at != column)
                self._offer(menu, "Remove this column", None, lambda: self._change("columns", readings=rest))
            if here is not None and self._document.study.intervals:
                self._offer(
                    menu,
                    f"Compare {shown[column].kind.title} between intervals",
                    None,
                    lambda: self._change("compare", compare=here),
                )
        menu.addSeparator()
        self._offer(menu, "Show accuracy", columns.accuracy, lambda: self._change("accuracy", accuracy=not columns.accuracy))
        return menu

    def _change(self, step: str, **changes: object) -> None:
        self._page.change_columns(step, **changes)

    def _readings(self, menu: QMenu, chosen: str | None, take: Callable[[str], None]) -> None:
        for group in Group:
            section = self._sub(menu, str(group))
            for kind in single_readings():
                if kind.group is group:
                    self._offer(section, kind.title, kind.name == chosen, partial(take, kind.name))

    def _sub(self, menu: QMenu, title: str) -> QMenu:
        made = menu.addMenu(title)
        assert made is not None
        return made

    def _offer(self, menu: QMenu, text: str, chosen: bool | None, run: Callable[[], None]) -> None:
        action = menu.addAction(text)
        assert action is not None
        if chosen is not None:
            action.setCheckable(True)
            action.setChecked(chosen)
        action.triggered.connect(lambda _=False: run())
