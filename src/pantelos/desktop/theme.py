"""Paper and ink, by day and by night. Hue carries the conductor; everything else is ground, ink and rules."""

from pathlib import Path

import msgspec
from PyQt6.QtGui import QColor, QGuiApplication, QPalette
from PyQt6.QtWidgets import QApplication

from pantelos.paper.colours import DAY, DAY_CONDUCTORS
from pantelos.settings import load_settings


class Theme(msgspec.Struct, frozen=True):
    """The colours of the window."""

    name: str
    ground: str
    panel: str  # slightly off the ground: header, rail, headings
    ink: str
    soft: str  # secondary text
    rule: str
    wash: str  # the active interval
    edge: str  # its edges and name
    good: str
    caution: str
    fault: str
    field: str
    border: str  # around what is typed into
    conductors: dict[str, str]

    def conductor(self, name: str) -> QColor:
        """Return the hue of a conductor; soft ink for none."""
        return QColor(self.conductors.get(name, self.conductors[""]))


LIGHT = Theme("light", **DAY, conductors=DAY_CONDUCTORS)
DARK = Theme(
    "dark", ground="#1F2226", panel="#282C31", ink="#E4E2DC", soft="#9BA0A5", rule="#3B4047", wash="#3A3323", edge="#E0B04A",
    good="#A9D79B", caution="#E09A56", fault="#EC7F75", field="#17191C",
    border="#7A828B",
    conductors={"L1": "#E58E4A", "L2": "#4DB6B3", "L3": "#B392E0", "N": "#D5DADE", "DC": "#E6A699", "shaft": "#9CBF6E", "": "#AEB7BF",
                "apart 1": "#AEB7BF", "apart 2": "#D99A78", "apart 3": "#7DB4DE", "apart 4": "#CDBB62", "apart 5": "#D893C2", "apart 6": "#86C7A3"},
)  # fmt: skip


def desktop_theme() -> Theme:
    """Return the theme the desktop asks for."""
    hints = QGuiApplication.styleHints()
    return DARK if hints is not None and hints.colorScheme().name == "Dark" else LIGHT


def chosen_theme() -> Theme:
    """Return the theme that the settings fix, else the one the desktop asks for."""
    return {LIGHT.name: LIGHT, DARK.name: DARK}.get(load_settings().theme) or desktop_theme()


def apply_theme(app: QApplication, theme: Theme) -> None:
    """Give the whole application the colours of a theme; painting every window anew is left out where it has them."""
    sheet = _sheet(theme)
    if app.styleSheet() == sheet:
        return
    app.setStyle("Fusion")
    palette = QPalette()
    role = QPalette.ColorRole
    for key, colour in (
        (role.Window, theme.ground), (role.Base, theme.field), (role.AlternateBase, theme.panel), (role.Button, theme.panel),
        (role.WindowText, theme.ink), (role.Text, theme.ink), (role.ButtonText, theme.ink), (role.ToolTipBase, theme.panel),
        (role.ToolTipText, theme.ink), (role.PlaceholderText, theme.soft), (role.Highlight, theme.edge),
        (role.HighlightedText, theme.ground), (role.Mid, theme.rule), (role.Light, theme.panel), (role.Midlight, theme.rule),
        (role.Dark, theme.rule), (role.Shadow, theme.rule), (role.Link, theme.edge),
    ):  # fmt: skip
        palette.setColor(key, QColor(colour))
    for key in (role.WindowText, role.Text, role.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, key, QColor(theme.soft))
    app.setPalette(palette)
    app.setStyleSheet(sheet)


def _sheet(t: Theme) -> str:
    arrow, tick = ((Path(__file__).parent / f"{what}-{t.name}.svg").as_posix() for what in ("arrow", "tick"))
    return f"""
    QMainWindow, QDialog {{ background: {t.ground}; }}
    * {{ dialogbuttonbox-buttons-have-icons: 0; }}
    QMenuBar {{ background: {t.panel}; border-bottom: 1px solid {t.rule}; }}
    QMenuBar::item {{ padding: 3px 9px; background: transparent; }}
    QMenuBar::item:selected, QMenu::item:selected {{ background: {t.wash}; color: {t.ink}; }}
    QMenu {{ background: {t.ground}; border: 1px solid {t.rule}; padding: 4px; }}
    QMenu::item {{ padding: 4px 22px 4px 14px; }}
    QMenu::separator {{ height: 1px; background: {t.rule}; margin: 4px 6px; }}
    QMenu::item:disabled {{ color: {t.soft}; }}
    #header, #rail, #side {{ background: {t.panel}; }}
    #header {{ border-bottom: 1px solid {t.rule}; }}
    #rail {{ border-right: 1px solid {t.rule}; }}
    #rail QToolButton {{ border: none; border-left: 3px solid transparent; color: {t.soft}; padding: 12px 4px; background: transparent; }}
    #rail QToolButton:checked {{ background: {t.ground}; color: {t.ink}; border-left: 3px solid {t.ink}; font-weight: 600; }}
    #rail QToolButton:focus {{ color: {t.edge}; }}
    #derive {{ background: {t.ground}; border-bottom: 1px solid {t.rule}; }}
    #derive QLineEdit {{ border: none; background: transparent; padding: 5px 2px; }}
    #offers {{ background: {t.ground}; border: 1px solid {t.rule}; }}
    QLabel#soft, QLabel[soft="true"] {{ color: {t.soft}; }}
    QLabel:disabled {{ color: {t.soft}; }}
    QLabel[heading="true"] {{ font-size: 15px; font-weight: 600; }}
    QLabel[whole="true"] {{ color: {t.good}; border: 1px solid {t.good}; border-radius: 8px; padding: 1px 8px; }}
    QLabel[whole="false"] {{ color: {t.caution}; border: 1px solid {t.caution}; border-radius: 8px; padding: 1px 8px; }}
    QLabel[edge="true"] {{ color: {t.edge}; font-weight: 600; }}
    QLabel[caution="true"] {{ color: {t.caution}; padding: 0 14px; }}
    QLabel[fault="true"] {{ color: {t.fault}; }}
    QPushButton, QToolButton[boxed="true"] {{ background: {t.ground}; border: 1px solid {t.rule}; border-radius: 4px; padding: 4px 12px; }}
    QPushButton:hover, QToolButton[boxed="true"]:hover {{ border-color: {t.edge}; }}
    QPushButton:default {{ border: 1px solid {t.ink}; }}
    QPushButton:disabled {{ color: {t.soft}; }}
    QPushButton:focus, QToolButton[boxed="true"]:focus {{ border-color: {t.edge}; }}
    QToolButton {{ border: none; padding: 3px 7px; background: transparent; }}
    QToolButton:hover, QToolButton:checked {{ background: {t.wash}; }}
    QToolButton:disabled {{ color: {t.soft}; }}
    QToolButton::menu-indicator {{ image: none; width: 0; }}
    QLineEdit, QComboBox, QPlainTextEdit {{ background: {t.field}; border: 1px solid {t.border}; border-radius: 3px; padding: 3px 6px; }}
    QLineEdit:focus, QComboBox:focus {{ border-color: {t.edge}; }}
    QLineEdit[wrong="true"] {{ border: 2px solid {t.fault}; }}
    QTableView, QListView, QTreeView {{ background: {t.ground}; alternate-background-color: {t.panel}; border: none;
        gridline-color: {t.rule}; selection-background-color: {t.wash}; selection-color: {t.ink}; outline: none; }}
    QHeaderView::section {{ background: {t.panel}; color: {t.soft}; border: none; border-bottom: 1px solid {t.rule}; padding: 5px 8px; }}
    QTableView::item {{ padding: 0 8px; }}
    QTableCornerButton::section {{ background: {t.panel}; border: none; border-bottom: 1px solid {t.rule}; }}
    QListView::item {{ padding: 6px 10px; }}
    QListView::indicator, QCheckBox::indicator, QMenu::indicator:non-exclusive, QTableView::indicator {{
        width: 11px; height: 11px; border: 1px solid {t.soft}; border-radius: 2px; background: {t.field}; }}
    QListView::indicator:checked, QCheckBox::indicator:checked, QMenu::indicator:non-exclusive:checked, QTableView::indicator:checked {{
        background: {t.edge}; border-color: {t.edge}; image: url({tick}); }}
    QMenu::indicator:non-exclusive {{ margin-left: 6px; }}
    QTabBar::tab {{ background: transparent; color: {t.soft}; padding: 5px 12px; border: none; border-bottom: 2px solid transparent; }}
    QTabBar::tab:selected {{ color: {t.ink}; font-weight: 600; border-bottom: 2px solid {t.ink}; }}
    QTabBar::tab:focus {{ color: {t.edge}; }}
    QComboBox::drop-down {{ border: none; width: 18px; }}
    QComboBox::down-arrow {{ image: url({arrow}); width: 10px; height: 6px; margin-right: 6px; }}
    QListView::item:selected {{ background: {t.wash}; color: {t.ink}; }}
    QScrollBar:vertical {{ background: {t.ground}; width: 10px; margin: 0; }}
    QScrollBar:horizontal {{ background: {t.ground}; height: 10px; margin: 0; }}
    QScrollBar::handle {{ background: {t.rule}; border-radius: 4px; min-height: 24px; min-width: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QProgressBar {{ border: 1px solid {t.rule}; border-radius: 3px; background: {t.field}; text-align: center; height: 14px; }}
    QProgressBar::chunk {{ background: {t.wash}; }}
    QSplitter::handle {{ background: {t.rule}; }}
    QToolTip {{ background: {t.panel}; color: {t.ink}; border: 1px solid {t.rule}; padding: 4px; }}
    #card {{ background: {t.panel}; border: 1px solid {t.rule}; border-radius: 6px; }}
    #notice {{ background: {t.panel}; border-bottom: 1px solid {t.rule}; }}
    """
