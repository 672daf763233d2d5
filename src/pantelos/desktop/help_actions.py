"""What the help menu shows."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QMessageBox, QWidget

from pantelos import __version__
from pantelos.desktop.presenter.keys import keys_text


def show_keys(parent: QWidget, shortcuts: list[tuple[str, str]]) -> None:
    """Show what the mouse and the keys do; `shortcuts` are titles of actions and their keys."""
    box = QMessageBox(parent)
    box.setWindowTitle("Keys and gestures")
    box.setTextFormat(Qt.TextFormat.RichText)
    box.setText(keys_text(shortcuts))
    box.open()


def show_about(parent: QWidget) -> None:
    """Show version and licence."""
    about = (
        f"Pantelos {__version__}\n\nPower, energy and harmonics from recorded voltages and currents.\n"
        "Free software under the GNU General Public License, version 3 or later."
    )
    QMessageBox.about(parent, "Pantelos", about)
