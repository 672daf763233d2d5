"""Evaluations of channels made in memory."""

from pathlib import Path

import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.power.wirings import wiring
from pantelos.record.record import record_of_arrays
from pantelos.record.recording import RawChannel
from pantelos.signal.sampling.pyramid import build_pyramid
from pantelos.study import operations as op
from pantelos.study.model import ChannelSetup, Study
from pantelos.units import unit


def evaluation_on(rate_hz, connection=None, reference=None, units=None, **channels):
    """Return an evaluation of channels given as arrays; names beginning with u are V, with i A."""
    raws, setups = [], []
    for name, samples in channels.items():
        x = np.asarray(samples, dtype=float)
        symbol = (units or {}).get(name) or {"u": "V", "i": "A"}.get(name[0], "1")
        raws.append(RawChannel(name, x, unit(symbol), build_pyramid(lambda a, b, x=x: x[a:b], len(x))))
        setups.append(ChannelSetup(name, name, symbol))
    record = record_of_arrays(tuple(raws), rate_hz, Path("made.csv"), "0" * 64)
    study = Study(channels=tuple(setups), reference=reference)
    if connection:
        study = op.add_connection(study, "c", connection)
        sockets = {socket.name for socket in wiring(connection).sockets}
        for name in (name for name in channels if name in sockets):
            study = op.place_channel(study, "c", name, name)
    return Evaluation(study, record)
