"""What the help menu shows, and the settings."""

from PyQt6.QtWidgets import QApplication, QMessageBox, QWidget

from pantelos.desktop.help.logbook import report_facts
from pantelos.desktop.help.settings_dialog import SettingsDialog
from pantelos.desktop.stage import Stage
from pantelos.version import __version__


def show_settings(stage: Stage) -> None:
    """Open the settings."""
    dialog = SettingsDialog(stage.settings_changed, stage.widget)
    dialog.open()


def copy_facts(stage: Stage) -> None:
    """Put the facts of a report on the clipboard."""
    clipboard = QApplication.clipboard()
    if clipboard is not None:
        clipboard.setText(report_facts(stage.document))
        stage.notice_bar.say("Versions, sizes and the last errors are on the clipboard. They hold no data of your recording.")


def show_about(parent: QWidget) -> None:
    """Show version and licence."""
    about = (
        f"Pantelos {__version__}\n\nPower, energy and harmonics from recorded voltages and currents.\n"
        "Free software under the GNU General Public License, version 3 or later."
    )
    box = QMessageBox(parent)
    box.setWindowTitle("Pantelos")
    box.setText(about)
    box.open()
