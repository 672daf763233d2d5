"""Start the window."""

import logging
import signal
import sys
from pathlib import Path
from types import TracebackType

from PyQt6.QtCore import QMessageLogContext, QtMsgType, qInstallMessageHandler
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication

from pantelos.desktop.help.logbook import begin_log
from pantelos.desktop.main_window import MainWindow
from pantelos.desktop.theme import apply_theme, chosen_theme
from pantelos.errors import PantelosError


def make_application() -> QApplication:
    """Return the application, made once per process."""
    existing = QApplication.instance()
    if isinstance(existing, QApplication):
        return existing
    qInstallMessageHandler(_log)
    app = QApplication(sys.argv[:1])
    app.setApplicationName("pantelos")
    app.setApplicationDisplayName("Pantelos")
    return app


def _log(kind: QtMsgType, context: QMessageLogContext, text: str | None) -> None:
    """Pass Qt's messages on; those about what a picture without a screen cannot do concern nobody."""
    if text and not text.startswith("This plugin does not support"):
        logging.getLogger("qt").warning(text)


class _Mishap:
    """What happens where an error meets nobody, as in the midst of painting: the window stays.

    What the user can understand, such as a file that shrinks while it is drawn, is said; a mistake of ours is written down,
    and the study is kept aside.
    """

    def __init__(self, window: MainWindow) -> None:
        self._window = window

    def __call__(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if isinstance(error, PantelosError):
            self._window.show_error(error)
            return
        logging.getLogger("pantelos").error("unexpected", exc_info=(kind, error, trace))
        self._window.document.keep_now()
        self._window.notice_bar.say(
            f"Something unexpected went wrong inside the program ({kind.__name__}: {error}). "
            "Your study was kept aside; save it and start again.",
            fault=True,
        )


def run(path: Path | None) -> int:
    """Open the window, on a study or recording when one is given; return the exit code when it closes."""
    app = make_application()
    begin_log()
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    app.setDesktopFileName("pantelos")
    app.setWindowIcon(QIcon(str(Path(__file__).parent / "icon.svg")))
    theme = chosen_theme()
    apply_theme(app, theme)
    window = MainWindow(theme)
    sys.excepthook = _Mishap(window)
    window.show()
    if path is not None:
        window.files.open_paths([path])
    return app.exec()
