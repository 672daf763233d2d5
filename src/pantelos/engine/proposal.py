"""Connections that names, units and waveforms suggest, and a word for each channel that is left."""

import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError
from pantelos.power.recognition import Recognised, Recognition, Seen, recognise
from pantelos.power.wirings import wiring
from pantelos.signal.arrays import FloatArray
from pantelos.study.suggestion import Suggestion, free_channels, spot_of, suggestions
from pantelos.units import unit

_STRETCHES = 5  # of the record that are looked at
_LONG_S, _FEWEST, _MOST = 0.4, 1 << 15, 1 << 18  # each: this long, in samples at least and at most
_MOST_CHANNELS = 24  # channels whose waveforms are compared
_OF_DIMENSION = (("current", "A"), ("torque", "N*m"), ("speed", "rad/s"))


def proposals(evaluation: Evaluation) -> list[Suggestion]:
    """Return the connections that look right for the channels without a place: by names, then by waveforms of those left."""
    by_name = suggestions(evaluation.study)
    named = {channel for one in by_name for channel in one.sockets.values()}
    found = recognition(evaluation, [name for name in free_channels(evaluation.study) if name not in named])
    return [*by_name, *(_suggestion(evaluation, one) for one in found.connections if one.word != "unsure")]


def left_over(evaluation: Evaluation, found: list[Suggestion]) -> dict[str, str]:
    """Return a word for each channel without a place that no proposal places."""
    placed = {channel for one in found for channel in one.sockets.values()}
    names = [name for name in free_channels(evaluation.study) if name not in placed]
    by_name = [channel for one in suggestions(evaluation.study) for channel in one.sockets.values()]
    seen = recognition(evaluation, [name for name in free_channels(evaluation.study) if name not in by_name])
    unsure = {name: f"{text}, but not sure enough" for one in seen.connections for name, text in one.why.items()}
    return {name: seen.left.get(name, unsure.get(name, "not looked at")) for name in names}


def recognition(evaluation: Evaluation, names: list[str]) -> Recognition:
    """Return what the waveforms of some recorded channels tell."""
    known = [name for name in names if name in evaluation.names.types]
    try:
        found = recognise([_seen(evaluation, name) for name in known[:_MOST_CHANNELS]])
    except PantelosError:  # a file that is gone, say: there is nothing to look at
        return Recognition((), {})
    return Recognition(found.connections, found.left | dict.fromkeys(known[_MOST_CHANNELS:], "not looked at: too many channels"))


def _suggestion(evaluation: Evaluation, one: Recognised) -> Suggestion:
    units = evaluation.names.unit
    quantities = {"V" if units(name).like(unit("V")) else "A" if units(name).like(unit("A")) else "" for name in one.why}
    how = "by their units and waveforms" if "A" in quantities else "by their waveforms"
    return Suggestion(
        wiring(one.kind), one.sockets, f"{how}, {one.word}", one.turned, one.why, "machine" if one.of_machine else ""
    )


def _seen(evaluation: Evaluation, name: str) -> Seen:
    """Return a channel as it is looked at: stretches over the whole record; a clamp that reads volts says no size."""
    wave, shown, spot = evaluation.samples.waveform(name), evaluation.names.unit(name), spot_of(name)
    length = min(max(_FEWEST, int(_LONG_S * wave.rate_hz)), _MOST, wave.n_samples)
    starts = np.unique(np.linspace(0, wave.n_samples - length, _STRETCHES).astype(int))
    quantity = next((quantity for quantity, symbol in _OF_DIMENSION if shown.like(unit(symbol))), spot.quantity if spot else "")
    volts = "V" if shown.like(unit("V")) else ""
    return Seen(name, quantity, volts, wave.rate_hz, tuple(_whole(wave.read(int(a), int(a) + length)) for a in starts))


def _whole(x: FloatArray) -> FloatArray:
    """Return samples with missing ones set to what is there on average."""
    there = np.isfinite(x)
    return x if there.all() else np.where(there, x, x[there].mean() if there.any() else 0.0)
