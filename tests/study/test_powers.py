"""The power that is offered for a connection is its power: by formula and by the powers of its elements, whatever the wiring."""

import numpy as np
import pytest

from pantelos.desktop.presenter.fitting import fitting
from pantelos.power.wirings import WIRINGS
from pantelos.study import operations as op
from pantelos.study.powers import offered_powers

RATE = 20_000.0
ELECTRICAL = [kind.id for kind in WIRINGS if kind.electrical]


def _channels(kind):
    """Sockets of a kind, voltages from conductor to conductor, currents that close."""
    t = np.arange(round(RATE)) / RATE
    turn = 2 * np.pi * 50 * t
    u = {f"L{k}": 325 * np.sin(turn - 2 * np.pi / 3 * (k - 1)) + 9 * np.sin(5 * turn + k) for k in (1, 2, 3)}
    i = {f"L{k}": 14 * np.sin(turn - 2 * np.pi / 3 * (k - 1) - 0.4) + np.sin(7 * turn) * (k - 2) for k in (1, 2)}
    i["L3"] = -i["L1"] - i["L2"]
    u["N"] = 0 * t
    channels, power = {}, None
    for socket in kind.sockets:
        if not socket.required:
            continue
        digits = socket.name[1:]
        if not kind.alternating:
            channels[socket.name] = 540 + 3 * np.sin(6 * turn) if socket.quantity == "voltage" else 8 + np.sin(6 * turn)
        elif socket.quantity == "current":
            channels[socket.name] = i[f"L{digits or 1}"]
        else:
            first, second = (digits[0], digits[1:]) if digits else ("1", "")
            channels[socket.name] = u[f"L{first}"] - (u[f"L{second}"] if second else 0)
    if kind.alternating and len([s for s in kind.sockets if s.quantity == "current"]) >= 2 and kind.wires in (3, 4):
        power = sum(u[name] * i[name] for name in i)
    return channels, power


@pytest.mark.parametrize("kind", ELECTRICAL)
def test_the_offered_power_is_that_of_the_connection(evaluation_of, kind):
    channels, by_conductors = _channels(WIRINGS[kind])
    bare = evaluation_of(RATE, kind, **channels)
    (offered,) = offered_powers(bare.study)
    study = op.set_formula(bare.study, f"{offered.name} = {offered.expression}")
    assert offered_powers(study) == []
    with_power = bare.on(study)
    p = with_power.samples.waveform(offered.name).read(0, round(RATE))
    assert with_power.names.unit(offered.name).symbol == "W"
    assert p.mean() == pytest.approx(with_power.power(study.connections[0], None).total.P, rel=1e-6)
    if by_conductors is not None and kind != "split-phase":
        assert p == pytest.approx(by_conductors, rel=1e-9, abs=1e-6)


def test_what_is_not_placed_has_no_power_and_panels_fit_what_is_wired(evaluation_of):
    channels, _ = _channels(WIRINGS["three-phase-4w"])
    full = evaluation_of(RATE, "three-phase-4w", **channels)
    assert fitting(full.study)[:2] == ["phasors", "harmonics"]
    missing = evaluation_of(RATE, "three-phase-4w", **{name: x for name, x in channels.items() if name != "i2"})
    assert offered_powers(missing.study) == []
    level, _ = _channels(WIRINGS["dc"])
    assert fitting(evaluation_of(RATE, "dc", **level).study)[0] == "histogram"
    assert "phasors" not in fitting(evaluation_of(RATE, **channels).study)
