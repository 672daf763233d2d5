"""The recorded channels of a study, for the checks of what was recorded."""

from collections.abc import Iterator

from pantelos.engine.evaluation import Evaluation
from pantelos.record.record import Channel


def recorded_channels(evaluation: Evaluation) -> Iterator[Channel]:
    """Yield the recorded channels as they were recorded."""
    for setup in evaluation.study.channels:
        yield evaluation.samples.channel(setup.name)
