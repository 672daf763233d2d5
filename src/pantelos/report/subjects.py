"""Which intervals a table is made for, and what its numbers really rest on there."""

from collections.abc import Sequence

from pantelos.engine.evaluation import Evaluation
from pantelos.power.wirings import wiring
from pantelos.signal.window import evaluation_window
from pantelos.study.model import WHOLE_RECORD, Study


def conductor_of(study: Study, channel: str) -> str:
    """Return the conductor a channel is wired to, or an empty text."""
    for connection in study.connections:
        for socket, name in connection.sockets.items():
            if name == channel:
                return wiring(connection.wiring).socket(socket).conductor
    return ""


def chosen_intervals(study: Study, names: Sequence[str] | None = None) -> list[str]:
    """Return the intervals tables are made for: those asked for, else all, else the whole record."""
    if names:
        return [name if name == WHOLE_RECORD else study.interval(name).name for name in names]
    return [interval.name for interval in study.intervals] or [WHOLE_RECORD]


def windows_used(evaluation: Evaluation, places: Sequence[str]) -> list[str]:
    """Return, per interval, the stretch that cycle-bound numbers really rest on."""
    lines = []
    for name in places:
        for reference in evaluation.references.used():
            window = evaluation_window(reference.cycles, *evaluation.times.span(name))
            held = f"{window.n_cycles} whole cycles of {reference.channel}" if window.n_cycles else "all samples"
            start, stop = evaluation.times.instant(window.start), evaluation.times.instant(window.stop)
            lines.append(f"{name}: {held}, {start:.6f} s to {stop:.6f} s, {window.rule} rule")
    return lines


def harmonic_channels(evaluation: Evaluation) -> list[str]:
    """Return the channels whose harmonics are tabulated: voltages and currents in alternating connections."""
    placed = [
        channel
        for connection in evaluation.study.connections
        if wiring(connection.wiring).alternating
        for channel in connection.sockets.values()
    ]
    if not placed and evaluation.references.overall.cycles is not None and evaluation.references.overall.channel:
        placed = [evaluation.references.overall.channel]
    return [name for name in dict.fromkeys(placed) if name in evaluation.names.types]
