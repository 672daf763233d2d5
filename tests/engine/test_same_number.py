"""Each quantity by every way the program has: one number, whatever the record and wherever the interval ends."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from made import evaluation_on
from pantelos.engine.evaluation import Evaluation, power_series
from pantelos.reading.kinds import reading_kind
from pantelos.study import operations as op
from pantelos.study.model import Interval
from pantelos.tables.building import build_tables

WAYS = {
    "U": ("rms(u1)",),
    "I": ("rms(i1)",),
    "P": ("active(u1, i1)", "mean(p)"),
    "S": ("apparent(u1, i1)", "rms(u1) * rms(i1)"),
    "PF": ("power_factor(u1, i1)", "active(u1, i1) / apparent(u1, i1)"),
    "Q1": ("reactive(u1, i1)",),
    "DPF": ("displacement_factor(u1, i1)",),
}


@settings(max_examples=15, deadline=None)
@given(
    st.floats(45, 65), st.floats(20, 400), st.floats(2.2, 30), st.floats(0, 6.2), st.sampled_from([0.0, 1e-3]),
    st.sampled_from(["whole record", "on samples", "between samples"]), st.integers(0, 2**31),
)  # fmt: skip
def test_a_quantity_is_one_number_by_every_way_to_it(f, per_cycle, n_cycles, start, noise, where, seed):
    rng, rate = np.random.default_rng(seed), f * per_cycle
    t = np.arange(max(round((n_cycles + 1) * per_cycle), 40)) / rate
    turn = 2 * np.pi * f * t + start
    u = 325 * (np.sin(turn) + 0.03 * np.sin(3 * turn)) + 325 * noise * rng.normal(size=len(t))
    i = 10 * np.sin(turn - 0.6) + 1 + 10 * noise * rng.normal(size=len(t))
    made = evaluation_on(rate, u1=u, i1=i)
    study = op.add_connection(made.study, "c", "single-phase")
    study = op.place_channel(op.place_channel(study, "c", "u", "u1"), "c", "i", "i1")
    study = op.set_formula(study, "p = u1 * i1")
    length = len(t) / rate
    edges = {
        "whole record": (0.0, length),
        "on samples": (3 / rate, (len(t) - 2) / rate),
        "between samples": (0.31 / rate, length - 0.77 / rate),
    }
    study = op.add_interval(study, Interval("part", *edges[where]), made.record.grid)
    evaluation = Evaluation(study, made.record)
    connection = study.connections[0]
    power = evaluation.power(connection, "part")
    if not power.window.n_cycles:
        return
    series = power_series(evaluation, connection, "part", "1000 s")
    table = build_tables(evaluation, ["power"]).tables[0]
    told = {name: table.column(name)[-1] for name in WAYS}
    assert len(series.starts) == 1
    for name, formulas in WAYS.items():
        value = float(getattr(power.total, name))
        size = {"P": power.total.S, "Q1": power.total.S}.get(name, max(abs(value), 1e-300))
        assert float(series.quantities[name][0]) == pytest.approx(value, abs=1e-12 * size), name
        for text in formulas:
            assert evaluation.value(text).value == pytest.approx(value, abs=1e-12 * size), (name, text)
        assert told[name] == pytest.approx(value, rel=1e-12), name
    for kind, of in (("rms", "u1"), ("rms", "i1")):
        assert evaluation.reading(reading_kind(kind), [of], "part").value == pytest.approx(
            power.total.U if of == "u1" else power.total.I, rel=1e-12
        )
