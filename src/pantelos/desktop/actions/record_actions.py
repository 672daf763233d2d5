"""What is done to the record as a whole: time zero, the stretch that is kept, the rate it is read at."""

import math

from PyQt6.QtWidgets import QInputDialog

from pantelos.amounts import amount, figure
from pantelos.desktop.stage import Stage
from pantelos.errors import StudyError, clipped
from pantelos.formats.dialect import Side
from pantelos.notation import with_unit
from pantelos.study import operations as op
from pantelos.study.model import Interval
from pantelos.study.opening import read_on
from pantelos.units import unit


def zero_at_edge(window: Stage) -> None:
    """Let time begin at the first edge of the active interval."""
    window.document.take(op.move_zero(window.document.study, _active(window).start_s), "time zero at the edge")


def ask_zero(window: Stage) -> None:
    """Ask for the instant that is to read as zero."""
    text, agreed = QInputDialog.getText(window.widget, "Time zero", "Instant that is to read as zero, in s:", text="0")
    if not agreed:
        return
    at_s = amount(text, "s", "is no instant. Write seconds, as in 0.25.")
    window.document.take(op.move_zero(window.document.study, at_s), "time zero")


def trim(window: Stage) -> None:
    """Keep only the active interval of the record."""
    interval = _active(window)
    document = window.document
    document.take(op.trim(document.study, interval.start_s, interval.stop_s, document.recordings.record), f"keep {interval.name}")


def untrim(window: Stage) -> None:
    """Show the whole record again."""
    window.document.take(op.untrim(window.document.study), "whole record again")


def ask_time_base(window: Stage) -> None:
    """Ask for the accuracy of the recorder's clock."""
    source = window.document.study.record
    if source is not None:
        text, agreed = QInputDialog.getText(
            window.widget, "Clock of the recorder", "Limit of error in ppm", text=f"{source.time_base_ppm:g}"
        )
        if agreed:
            ppm = figure(text.strip().removesuffix("ppm"))
            if math.isnan(ppm):
                raise StudyError(f'"{clipped(text)}" is no number. Write the limit of error in ppm, such as 50.')
            window.document.take(op.set_time_base(window.document.study, ppm), "accuracy of the clock")


def read_on_side(window: Stage, side: Side) -> None:
    """Read values whose side of an instrument transformer is stated as primary or secondary ones."""
    document = window.document
    study, recordings = document.study, document.recordings
    window.runner.run(
        "open",
        lambda progress: read_on(study, recordings, side, progress),
        lambda made: document.take(made, f"read as {side} values"),
    )


def ask_rate(window: Stage) -> None:
    """Ask for the rate an uneven record is read at."""
    document = window.document
    shown = with_unit(document.grid.rate_hz, unit("Hz"), 6)
    question = "Rate, such as 20 kHz; empty for the highest there is:"
    text, agreed = QInputDialog.getText(window.widget, "Read the record at", question, text=shown)
    if agreed:
        rate = op.rate_from(text) if text.strip() else None
        document.take(op.read_at(document.study, rate, document.recordings.record), "read at another rate")


def _active(window: Stage) -> Interval:
    found = window.document.study.active_interval
    if found is None:
        raise StudyError("There is no active interval. Drag along the time axis to make one.")
    return found
