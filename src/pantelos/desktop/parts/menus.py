"""Entries of menus that are made anew whenever they are asked for."""

from collections.abc import Callable

from PyQt6.QtWidgets import QMenu


def submenu(menu: QMenu, title: str) -> QMenu:
    """Add a menu within a menu."""
    made = menu.addMenu(title)
    assert made is not None
    return made


def offer(menu: QMenu, text: str, run: Callable[[], object], chosen: bool | None = None, tip: str = "") -> None:
    """Add an entry; `chosen` says whether it bears a tick, None that it is no choice; `tip` is said of it in the status line."""
    action = menu.addAction(text)
    assert action is not None
    if tip:
        action.setToolTip(tip)
    if chosen is not None:
        action.setCheckable(True)
        action.setChecked(chosen)
    action.triggered.connect(lambda _=False: run())
