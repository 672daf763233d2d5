"""The parts of the engine by themselves: results made once, references known without work, circumstances, registries."""

import math
import threading
import time

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pantelos.accuracy.budget import Input, Shape
from pantelos.engine.results import ResultCache
from pantelos.engine.uncertainty import moved_by
from pantelos.errors import StudyError
from pantelos.formula.nodes import Call, Name, Number, walk
from pantelos.formula.syntax import parse
from pantelos.power.quantities import element_power
from pantelos.power.quantity_rows import POWER_QUANTITIES, AddsUp, budgeted
from pantelos.reading.kinds import READINGS
from pantelos.reading.reading import Divided
from pantelos.registry import Registry
from pantelos.signal.levels.partition import from_edges
from pantelos.study import operations as op


def test_a_result_is_made_by_one_thread_while_the_others_wait():
    cache, made, found = ResultCache(), [], []

    def make():
        made.append(1)
        time.sleep(0.05)
        return 5

    threads = [threading.Thread(target=lambda: found.append(cache.get(("a",), make))) for _ in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert (made, found) == ([1], [5] * 8)


def test_a_maker_that_fails_leaves_the_result_to_the_next():
    cache, order = ResultCache(), []

    def fail():
        order.append("failed")
        time.sleep(0.05)
        raise StudyError("no.")

    def first():
        with pytest.raises(StudyError):
            cache.get(("a",), fail)

    thread = threading.Thread(target=first)
    thread.start()
    while not order:
        time.sleep(0.001)
    assert cache.get(("a",), lambda: order.append("made") or 7) == 7
    thread.join()
    assert order == ["failed", "made"]
    assert cache.get(("a",), fail) == 7


def test_what_rests_on_itself_is_said_by_whoever_made_it_so():
    cache = ResultCache()
    assert cache.get(("a",), lambda: cache.get(("a",), lambda: 1) + 1) == 2


def test_the_reference_is_known_without_work_once_its_cycles_are(evaluation_of, sine):
    evaluation = evaluation_of(10_000.0, "single-phase", u=sine(230, 50), i=sine(5, 50, -30))
    references = evaluation.references
    assert not references.overall_known()
    assert not references.known_of(["i"])
    assert references.of(["i"]).channel == "u"
    assert references.overall_known()
    assert references.known_of(["i"])
    assert [reference.channel for reference in references.used()] == ["u"]
    chosen = evaluation.on(op.set_reference(evaluation.study, "i"))
    assert not chosen.references.known_of(["u"])
    assert chosen.references.of(["u"]).why == "chosen"


def test_moved_circumstances_change_their_channel_and_nothing_else(evaluation_of, sine):
    evaluation = evaluation_of(10_000.0, "single-phase", u=sine(230, 50), i=sine(5, 50, -30))
    gain = moved_by(evaluation, Input("gain", "u", Shape.NORMAL, 0.01))
    u, moved = (part.samples.waveform("u").read(0, 200) for part in (evaluation, gain))
    assert moved == pytest.approx(1.01 * u)
    assert np.array_equal(gain.samples.waveform("i").read(0, 200), evaluation.samples.waveform("i").read(0, 200))
    assert gain.cycles.of("u") is evaluation.cycles.of("u")
    clock = moved_by(evaluation, Input("time base", "", Shape.NORMAL, 1e-3))
    assert clock.cycles.of("u").frequency_hz == pytest.approx(evaluation.cycles.of("u").frequency_hz / 1.001)
    assert evaluation.samples.waveform("u").read(0, 200) == pytest.approx(u)


_NUMBERS = st.integers(1, 99).map(str)
_EXPRESSIONS = st.recursive(_NUMBERS, lambda inner: st.one_of(
    st.tuples(inner, st.sampled_from("+-*/"), inner).map(" ".join), inner.map("({})".format), inner.map("-{}".format),
    st.tuples(inner.map("({})".format), st.sampled_from(("^2", "^-1", "^3"))).map("".join)), max_leaves=12)  # fmt: skip


@given(_EXPRESSIONS)
@settings(max_examples=150)
def test_arithmetic_binds_as_in_any_textbook(text):
    from pantelos.formula.compile import compile_formula

    try:
        expected = float(eval(text.replace("^", "**")))
    except (ZeroDivisionError, OverflowError):
        expected = math.nan
    _, compiled = compile_formula(text, {})
    found = compiled.make(None).value
    assert (math.isnan(found) and not math.isfinite(expected)) or found == pytest.approx(expected, rel=1e-9, nan_ok=True)


def test_every_node_knows_its_place():
    text = 'e = -rms(u1 * 2 mV) in "steady lift" + (mean(i1) over cycles(u1)) ^ (1/2) where u1 > 3 V and not i1 < 2 A'
    name, whole = parse(text)
    shown = [(type(node), text[node.start : node.stop]) for node in walk(whole)]
    assert name == "e"
    assert (Call, 'rms(u1 * 2 mV) in "steady lift"') in shown
    assert (Call, "mean(i1) over cycles(u1)") in shown
    assert {said for kind, said in shown if kind is Number} == {"2 mV", "3 V", "2 A"}
    assert [said for kind, said in shown if kind is Name].count("u1") == 3


def test_registries_keep_order_and_refuse_in_a_sentence():
    fruit = Registry("fruit", str, ("plum", "pear"))
    assert (fruit.names, len(fruit), "plum" in fruit, fruit.get("fig")) == (("plum", "pear"), 2, True, None)
    with fruit.with_entry("fig"):
        assert [*fruit] == ["plum", "pear", "fig"]
        with pytest.raises(ValueError, match="fig is there already"):
            fruit.add("fig")
    with pytest.raises(StudyError, match='There is no fruit "fig"; there are plum, pear'):
        fruit["fig"]


def test_noise_of_powers_agrees_with_what_drawing_it_does():
    n, rng = 20_000, np.random.default_rng(7)
    t = np.arange(n) / n
    u, i = 325 * np.sin(2 * np.pi * 10 * t), 14 * np.sin(2 * np.pi * 10 * t - 0.7)
    reading = element_power(
        325 / math.sqrt(2), 14 / math.sqrt(2), float((u * i).mean()), 0.5 * 325 * 14 * complex(math.cos(0.7), math.sin(0.7))
    )
    drawn = [float(((u + rng.normal(0, 2, n)) * (i + rng.normal(0, 0.1, n))).mean()) for _ in range(400)]
    noise = POWER_QUANTITIES["P"].noise(reading, 2.0, 0.1, n)
    assert np.std(drawn) == pytest.approx(noise, rel=0.12)
    assert all(quantity.noise(reading, 0.0, 0.0, n) == pytest.approx(0, abs=1e-9) for quantity in budgeted())
    assert POWER_QUANTITIES["P"].adds_up is AddsUp.AS_SUM
    assert POWER_QUANTITIES["P"].noise_of_total([(3.0, 1.0), (4.0, 1.0)], 2.0) == 5.0


def test_cycles_are_a_partition_that_holds_edges_alone(evaluation_of, sine):
    evaluation = evaluation_of(10_000.0, "single-phase", u=sine(230, 50), i=sine(5, 50, -30))
    partition = evaluation.cycles.of("u").partition
    assert (partition.piece, partition.n_samples) == ("cycle", 2000)
    assert partition.lengths == pytest.approx(np.full(len(partition.whole), 200), abs=0.02)
    blocks = evaluation.value("rms(i) over cycles(u)")
    assert blocks.partition is partition
    assert blocks.values == pytest.approx(5, rel=1e-3)
    halves = from_edges([0.0, 1000.0, 2000.0], "half", 2000, 10_000.0)
    divided = Divided([evaluation.samples.waveform("u")], halves, (), 0.0, 50, None, None, None)
    assert READINGS["rms"].over(divided) == pytest.approx(230, rel=1e-6)
