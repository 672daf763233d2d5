"""The command spectrum."""

from pathlib import Path
from typing import Annotated

from pantelos.cli.command import Argument, Option, say
from pantelos.cli.opened import OneInterval, StudyPath, opened
from pantelos.saving import write_whole
from pantelos.signal.spectral_windows import SpectralWindow


def spectrum(
    study: StudyPath,
    channel: Annotated[str, Argument(help="Channel or formula.")],
    interval: OneInterval = None,
    window: Annotated[SpectralWindow, Option(help="Window.")] = SpectralWindow.HANN,
    to: Annotated[Path | None, Option("--to", help="Write to this CSV file.")] = None,
) -> None:
    """Print the rms amplitude spectrum of a channel over an interval as lines of frequency and rms."""
    evaluation = opened(study)
    found = evaluation.spectrum(channel, interval, window)
    shown = evaluation.names.unit(channel)
    head = f"f [Hz],{channel} rms [{shown.symbol}]"
    lines = [
        head,
        *(f"{f!r},{a / shown.factor!r}" for f, a in zip(found.frequencies_hz.tolist(), found.rms.tolist(), strict=True)),
    ]
    if to is None:
        say("\n".join(lines))
        return
    write_whole(to, ("\n".join(lines) + "\n").encode())
    say(f"{to}: {found}, over {evaluation.times.name(interval)}, resolution {found.resolution_hz:g} Hz")
