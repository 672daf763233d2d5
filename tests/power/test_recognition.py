"""Drives without names: what is told is right, and nothing confident is wrong."""

import numpy as np
import pytest
import wiring_corpus

from pantelos.power.recognition import Seen, recognise


def test_random_drives_are_placed_right_or_left_out():
    counts = wiring_corpus.count(24, seed=2026)
    right = counts["sure", True] + counts["likely", True]
    wrong = counts["sure", False] + counts["likely", False]
    assert counts["sure", False] == 0
    assert wrong <= 0.05 * (right + wrong)
    assert right >= 0.5 * counts["all", ""]


def _seen(columns, rate, unit="V"):
    return [Seen(name, "", unit, rate, (x,)) for name, x in columns.items()]


@pytest.mark.parametrize("hertz", [16.7, 50.0, 400.0])
def test_two_triples_that_look_alike_are_not_told_apart(hertz):
    """Nothing says which three of six equal sinusoids are the voltages."""
    rate = 100 * hertz
    turn = 2 * np.pi * hertz * np.arange(4000) / rate
    columns = {f"a{k}": np.sin(turn - k * 2 * np.pi / 3) for k in range(3)}
    columns |= {f"b{k}": 3 * np.sin(turn - k * 2 * np.pi / 3 - 0.6) for k in range(3)}
    found = recognise(_seen(columns, rate, ""))
    assert all(one.word == "unsure" for one in found.connections)
    assert set(columns) <= {name for one in found.connections for name in one.sockets.values()} | set(found.left)


@pytest.mark.parametrize("columns", [{"a": np.zeros(4000)}, {"a": np.ones(4000), "b": np.arange(4000.0)}, {}])
def test_what_says_nothing_is_left_with_a_word(columns):
    found = recognise(_seen(columns, 10_000.0))
    assert not found.connections and set(found.left) == set(columns) and all(found.left.values())


def _first(seed, wanted):
    made = (wiring_corpus.record(np.random.default_rng([seed, k])) for k in range(400))
    return next((seen, truth) for drive, seen, truth in made if wanted(drive, truth))


def test_a_neutral_and_a_link_are_told():
    seen, truth = _first(3, lambda drive, truth: "m.iN" in truth.values())
    assert truth[recognise(seen).connections[0].sockets["iN"]] == "m.iN"
    seen, truth = _first(4, lambda drive, truth: "link" in truth.values() and "d.u1" in truth.values())
    link = next(name for name, spot in truth.items() if spot == "link")
    assert "a DC link voltage" in recognise(seen).left[link]
