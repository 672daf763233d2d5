"""What the program writes down of its own running, and the facts that help whoever looks into a fault: no data of records."""

import contextlib
import logging
import platform
from logging.handlers import RotatingFileHandler

from PyQt6.QtCore import QT_VERSION_STR

from pantelos.desktop.document import Document
from pantelos.folders import state_directory
from pantelos.version import __version__

_BYTES, _FILES = 200_000, 2
_LAST_LINES = 20


def begin_log() -> list[logging.Handler]:
    """Write warnings and errors to the terminal and, where that can be, to a small file in the state folder."""
    handlers: list[logging.Handler] = [logging.StreamHandler()]
    with contextlib.suppress(OSError):
        folder = state_directory()
        folder.mkdir(parents=True, exist_ok=True)
        handlers.append(RotatingFileHandler(folder / "pantelos.log", maxBytes=_BYTES, backupCount=_FILES - 1, delay=True))
    for handler in handlers:
        handler.setLevel(logging.WARNING)
        handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s"))
        logging.getLogger().addHandler(handler)
    return handlers


def report_facts(document: Document) -> str:
    """Return versions, sizes and the last errors, as text to hand over."""
    study, record = document.study, document.record
    lines = [
        f"Pantelos {__version__}, Python {platform.python_version()}, Qt {QT_VERSION_STR}, {platform.platform()}",
        f"study: {len(study.channels)} channels, {len(study.formulas)} formulas, {len(study.connections)} connections, "
        f"{len(study.intervals)} intervals, {len(study.panels)} panels",
    ]
    if record is not None:
        lines.append(f"record: {record.n_samples} samples at {record.rate_hz:g} Hz, {len(record.columns)} columns")
    lines += ["last errors:", *(_last_lines() or ["none"])]
    return "\n".join(lines) + "\n"


def _last_lines() -> list[str]:
    try:
        text = (state_directory() / "pantelos.log").read_text(encoding="utf-8", errors="replace")
    except OSError:
        return []
    return text.splitlines()[-_LAST_LINES:]
