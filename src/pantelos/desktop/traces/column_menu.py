"""The menu of the headings beside the lanes: which readings are shown, and whether intervals are compared."""

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QObject, QPoint
from PyQt6.QtWidgets import QMenu

from pantelos.desktop.document import Document
from pantelos.desktop.parts.menus import offer, submenu
from pantelos.desktop.presenter.reading_columns import reading_columns
from pantelos.desktop.traces.page_stage import PageStage
from pantelos.reading.kinds import single_readings
from pantelos.reading.reading import Group

MOST_COLUMNS = 8
_COMPARING = (
    ("values", "values"),
    ("differences", "differences to the active interval"),
    ("ratios", "ratios to the active interval"),
)


class ColumnMenu(QObject):
    """Made anew whenever it is asked for."""

    def __init__(self, page: PageStage, document: Document) -> None:
        super().__init__(page.widget)
        self._page, self._document = page, document

    def show(self, column: int, place: QPoint) -> None:
        """Offer what a column can show."""
        self.make(column).exec(place)

    def make(self, column: int) -> QMenu:
        """Return the menu of a heading."""
        menu, columns = QMenu(self._page.widget), self._document.study.columns
        shown = reading_columns(self._document.study)
        if columns.compare is not None:
            for key, text in _COMPARING:
                offer(menu, text, partial(self._change, "compare", comparing=key), columns.comparing == key)
            menu.addSeparator()
            self._readings(submenu(menu, "Compare"), columns.compare, lambda name: self._change("compare", compare=name))
            offer(menu, "Show readings of the active interval", lambda: self._change("columns", compare=None))
        else:
            here = columns.readings[column] if column < len(columns.readings) else None

            def put(name: str) -> None:
                changed = (*columns.readings[:column], name, *columns.readings[column + 1 :])
                self._change("columns", readings=changed)

            self._readings(submenu(menu, "Show here"), here, put)
            if len(columns.readings) < MOST_COLUMNS:
                self._readings(
                    submenu(menu, "Add a column"), None, lambda name: self._change("columns", readings=(*columns.readings, name))
                )
            if here is not None and len(columns.readings) > 1:
                rest = tuple(name for at, name in enumerate(columns.readings) if at != column)
                offer(menu, "Remove this column", lambda: self._change("columns", readings=rest))
            if here is not None and self._document.study.intervals:
                offer(
                    menu, f"Compare {shown[column].kind.title} between intervals", lambda: self._change("compare", compare=here)
                )
        menu.addSeparator()
        offer(menu, "Show accuracy", lambda: self._change("accuracy", accuracy=not columns.accuracy), columns.accuracy)
        return menu

    def _change(self, step: str, **changes: object) -> None:
        self._page.change_columns(step, **changes)

    def _readings(self, menu: QMenu, chosen: str | None, take: Callable[[str], None]) -> None:
        for group in Group:
            section = submenu(menu, str(group))
            for kind in single_readings():
                if kind.group is group:
                    offer(section, kind.title, partial(take, kind.name), kind.name == chosen)
