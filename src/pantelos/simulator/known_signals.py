"""Known signals as a recording: through the converter of the simulated recorder, without one."""

from datetime import UTC, datetime
from pathlib import Path

import msgspec
import numpy as np

from pantelos.errors import StudyError
from pantelos.formats.recorded.layout import RecordedChannel, RecordedHeader
from pantelos.formats.recorded.writer import RecordingWriter
from pantelos.recorder.recording import refuse_without_room
from pantelos.recorder.signals import Signal
from pantelos.simulator.converter import END, Flaws, InputSettings
from pantelos.simulator.feed import LoopFeed

_BLOCK = 1 << 18
_NO_FLAWS = Flaws(noise_v=0.0)


class Written(msgspec.Struct, frozen=True):
    """What was written."""

    n: int  # samples of each channel
    clipped: dict[str, int]  # samples at the end of the range, of channels that have some


def write_signals(path: Path, made: dict[str, Signal], rate_hz: float, seconds: float, range_v: float) -> Written:
    """Write signals by channel; return how much was written, and what did not fit the range.

    Raises
    ------
    StudyError
        When there are none, or the rate is too low for one.
    FileAccessError
        When the file cannot be written, or the disk has no room for it.
    """
    n = round(seconds * rate_hz)
    if not made or n < 1:
        raise StudyError("There is nothing to write. State a channel and a time.")
    for name, one in made.items():
        if one.highest_hz >= rate_hz / 2:
            at_least = f"{rate_hz:g} samples per second show less than {rate_hz / 2:g} Hz"
            raise StudyError(f"{name} = {one.text()}: {at_least}. Take a higher rate.")
    inputs = [InputSettings(True, range_v) for _ in made]
    channels = tuple(RecordedChannel(name, one.step_v, range_v) for name, one in zip(made, inputs, strict=True))
    said = "; ".join(f"{name} = {signal.text()}" for name, signal in made.items())
    began = datetime.now(UTC).isoformat(timespec="microseconds")
    header = RecordedHeader(rate_hz, channels, began, "", said)
    refuse_without_room(path, n * header.row_bytes)
    writer = RecordingWriter(path, header, 1)
    clipped = np.zeros(len(made), dtype=np.int64)
    feed = LoopFeed(list(made.values()), rate_hz, inputs, _NO_FLAWS)
    try:
        for low in range(0, n, _BLOCK):
            rows = feed.rows(low, min(_BLOCK, n - low))
            writer.add(rows)
            clipped += np.count_nonzero(np.abs(rows.astype(np.int32)) >= END, axis=0)
        writer.state(ended="as ordered")
    finally:
        writer.close()
    return Written(n, {name: count for name, count in zip(made, clipped.tolist(), strict=True) if count})
