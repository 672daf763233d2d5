"""Known signals as a recording: through the converter of the simulated recorder, without one."""

from datetime import UTC, datetime
from pathlib import Path

from pantelos.errors import StudyError
from pantelos.formats.recorded.layout import RecordedChannel, RecordedHeader
from pantelos.formats.recorded.writer import RecordingWriter
from pantelos.recorder.signals import Signal
from pantelos.simulator.converter import Flaws, InputSettings
from pantelos.simulator.feed import LoopFeed

_BLOCK = 1 << 18
_NO_FLAWS = Flaws(noise_v=0.0)


def write_signals(path: Path, made: dict[str, Signal], rate_hz: float, seconds: float, range_v: float) -> int:
    """Write signals by channel; return the number of samples.

    Raises
    ------
    StudyError
        When there are none.
    FileAccessError
        When the file cannot be written.
    """
    n = round(seconds * rate_hz)
    if not made or n < 1:
        raise StudyError("There is nothing to write. State a channel and a time.")
    inputs = [InputSettings(True, range_v) for _ in made]
    channels = tuple(RecordedChannel(name, one.step_v, range_v) for name, one in zip(made, inputs, strict=True))
    said = "; ".join(f"{name} = {signal.text()}" for name, signal in made.items())
    began = datetime.now(UTC).isoformat(timespec="microseconds")
    writer = RecordingWriter(path, RecordedHeader(rate_hz, channels, began, "", said), 1)
    feed = LoopFeed(list(made.values()), rate_hz, inputs, _NO_FLAWS)
    try:
        for low in range(0, n, _BLOCK):
            writer.add(feed.rows(low, min(_BLOCK, n - low)))
        writer.state(ended="as ordered")
    finally:
        writer.close()
    return n
