"""Connections proposed where names say nothing: by units and waveforms."""

import numpy as np
import pytest

from pantelos.engine.proposal import proposals

RATE, N = 10_000.0, 4000


def wave(amplitude, degrees, hertz=50.0, distorted=0.0):
    turn = 2 * np.pi * hertz * np.arange(N) / RATE + np.radians(degrees)
    return amplitude * (np.sin(turn) + distorted * np.sin(5 * turn))


def record(evaluation_of, columns, symbols):
    """Return an evaluation with nothing wired; names as given, units as given."""
    from pantelos.engine.evaluation import Evaluation
    from pantelos.study import operations as op

    evaluation = evaluation_of(RATE, **columns)
    study = evaluation.study
    for name in columns:
        study = op.change_channel(study, name, recorder_unit=symbols.get(name, "V"))
    for connection in study.connections:
        study = op.remove_connection(study, connection.name)
    return Evaluation(study, evaluation.record)


@pytest.mark.parametrize("hertz", [16.7, 50, 60, 400])
@pytest.mark.parametrize("order", [(1, 2, 3), (1, 3, 2), (3, 1, 2)])
def test_three_phases_are_found_whatever_order_they_were_recorded_in(evaluation_of, hertz, order):
    phases = {1: 0, 2: -120, 3: 120}
    columns = {f"x{k}": wave(325, phases[p], hertz, 0.05) for k, p in enumerate(order)}
    columns |= {f"y{k}": wave(14, phases[p] - 35, hertz, 0.3) for k, p in enumerate(order)}
    found = proposals(record(evaluation_of, columns, {f"y{k}": "A" for k in range(3)}))
    assert len(found) == 1 and found[0].wiring.id == "three-phase-4w" and found[0].why.startswith("by their units and waveforms")
    voltages = [found[0].sockets[f"u{k}"] for k in (1, 2, 3)]
    turned = [phases[order[int(name[1])]] for name in voltages]
    assert [(turned[0] - x) % 360 for x in turned] == [0, 120, 240]  # each lags the one before by a third
    assert [found[0].sockets[f"i{k}"][1] for k in (1, 2, 3)] == [name[1] for name in voltages]  # each beside its own


def test_one_phase_and_a_direct_rail(evaluation_of):
    rng = np.random.default_rng(1)
    single = proposals(record(evaluation_of, {"a": wave(325, 0), "b": wave(3, -20)}, {"b": "A"}))
    assert [(p.wiring.id, p.sockets) for p in single] == [("single-phase", {"u": "a", "i": "b"})]
    rail = {"a": 24 + 0.05 * rng.normal(size=N), "b": 1.5 + 0.01 * rng.normal(size=N)}
    direct = proposals(record(evaluation_of, rail, {"b": "A"}))
    assert [(p.wiring.id, p.sockets) for p in direct] == [("dc", {"u": "a", "i": "b"})]


@pytest.mark.parametrize(
    "columns",
    [
        {"a": wave(325, 0), "b": wave(325, -120), "c": wave(325, -200), "d": wave(1, 0), "e": wave(1, 0), "f": wave(1, 0)},
        {"a": wave(325, 0), "b": wave(90, -120), "c": wave(325, 120), "d": wave(1, 0), "e": wave(1, 0), "f": wave(1, 0)},
        {"a": np.full(N, np.nan), "d": np.full(N, np.nan)},
        {"a": np.zeros(N), "d": np.zeros(N)},
        {"a": wave(325, 0)},
        {"a": np.where(np.arange(N) // 100 % 2, 24.0, 0.0), "d": np.random.default_rng(2).normal(size=N)},
    ],
)
def test_what_does_not_rotate_or_is_not_there_is_not_proposed_as_three_phases(evaluation_of, columns):
    found = proposals(record(evaluation_of, columns, {name: "A" for name in columns if name in "def"}))
    assert all(p.wiring.id != "three-phase-4w" for p in found)


def test_names_that_say_something_come_first(evaluation_of):
    columns = {f"U_L{k}": wave(325, -120 * (k - 1)) for k in (1, 2, 3)} | {f"I_L{k}": wave(10, -120 * (k - 1)) for k in (1, 2, 3)}
    found = proposals(record(evaluation_of, columns, {f"I_L{k}": "mV" for k in (1, 2, 3)}))
    assert found[0].why == "by their names" and found[0].sockets["i2"] == "I_L2"
