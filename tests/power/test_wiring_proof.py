"""Wirings, right and wrong: every single and double mistake of a four-wire and a three-wire connection, with noise and unbalance."""

import cmath
import itertools
import math

import numpy as np
import pytest

from pantelos.power.proof import prove
from pantelos.power.wirings import wiring

TURN = cmath.exp(-2j * math.pi / 3)
FOUR, THREE = "three-phase-4w", "three-phase-3w"
VOLTAGES = {FOUR: ("u1", "u2", "u3"), THREE: ("u13", "u23")}
CURRENTS = {FOUR: ("i1", "i2", "i3"), THREE: ("i1", "i2")}


def phasors(kind, phi, rng):
    """A load at φ: 20 % unbalance of its currents, 2 % of the voltages, 3° of the angles, 1 % of noise."""
    u = [230 * (1 + rng.uniform(-0.02, 0.02)) * TURN**k for k in range(3)]
    i = [10 * (1 + rng.uniform(-0.2, 0.2)) * TURN**k * cmath.exp(-1j * (phi + rng.uniform(-0.03, 0.03))) for k in range(3)]
    if kind == THREE:
        i = [x - sum(i) / 3 for x in i]
        u = [u[0] - u[2], u[1] - u[2]]
    found = dict(zip((*VOLTAGES[kind], *CURRENTS[kind]), (*u, *i), strict=False)) if kind == FOUR else {
        "u13": u[0], "u23": u[1], "i1": i[0], "i2": i[1]}  # fmt: skip
    return {name: x + 0.01 * abs(x) * complex(rng.normal(), rng.normal()) for name, x in found.items()}


def mistakes(kind):
    turned = [("turn", name) for name in (*VOLTAGES[kind], *CURRENTS[kind])]
    return turned + [("swap", *pair) for names in (VOLTAGES[kind], CURRENTS[kind]) for pair in itertools.combinations(names, 2)]


def spoiled(given, made):
    found = dict(given)
    for kind, *names in made:
        if kind == "turn":
            found[names[0]] = -found[names[0]]
        else:
            found[names[0]], found[names[1]] = found[names[1]], found[names[0]]
    return found


def mended(given, suspect):
    return {socket: given[source] * (-1 if socket in suspect.turned else 1) for socket, source in suspect.sockets.items()}


def star(found, kind):
    """Phase voltages and currents, of a three-wire connection those that follow from what is measured."""
    if kind == FOUR:
        return [found[name] for name in VOLTAGES[FOUR]], [found[name] for name in CURRENTS[FOUR]]
    u13, u23, i1, i2 = (found[name] for name in ("u13", "u23", "i1", "i2"))
    return [(2 * u13 - u23) / 3, (2 * u23 - u13) / 3, -(u13 + u23) / 3], [i1, i2, -i1 - i2]


def same_but_for_all(given, truth, kind):
    """Whether all voltages, or all currents, are turned alike: that is another load angle, and no phasor tells it from one."""
    alike = []
    for stars in zip(star(given, kind), star(truth, kind), strict=True):
        angles = [cmath.phase(one / other) for one, other in zip(*stars, strict=True)]
        alike.append(all(abs(cmath.phase(cmath.exp(1j * (a - angles[0])))) < 0.6 for a in angles))
    return all(alike)


@pytest.mark.parametrize("kind", [FOUR, THREE])
@pytest.mark.parametrize("way", [0.0, math.pi], ids=["load", "generating"])
def test_right_wirings_are_silent_from_one_tenth_inductive_to_one_tenth_capacitive(kind, way):
    rng = np.random.default_rng(5)
    for cos_phi, sign in itertools.product((0.1, 0.2, 0.5, 0.8, 0.95, 1.0), (1, -1)):
        for _ in range(40):
            proof = prove(wiring(kind).with_sockets([]), phasors(kind, way + sign * math.acos(cos_phi), rng))
            assert (proof.plausible, proof.rotates, proof.suspects) == (True, True, ()), (cos_phi, sign)


@pytest.mark.parametrize("order", [1, 2], ids=["single", "double"])
@pytest.mark.parametrize("kind", [FOUR, THREE])
def test_every_mistake_is_noticed_and_named(kind, order):
    wrong, n_named, n_alike = [], 0, 0
    for made in itertools.combinations(mistakes(kind), order):
        for k, phi in enumerate((-0.9, 0.1, 0.5, 1.0)):
            truth = phasors(kind, phi, np.random.default_rng((k, len(str(made)))))
            given = spoiled(truth, made)
            proof = prove(wiring(kind).with_sockets([]), given)
            if same_but_for_all(given, truth, kind):
                n_alike += 1
                continue
            if proof.plausible:
                assert proof.rotates is False, made  # both exchanged alike: told as the order of the phases
                continue
            named = any(
                all(abs(cmath.phase(mended(given, s)[name] / truth[name])) < 0.5 for name in truth) for s in proof.suspects
            )
            n_named += named
            wrong += [] if named else [(made, phi)]
    assert len(wrong) <= 0.01 * n_named, wrong
    assert n_alike <= (0 if order == 1 else 60)
    assert n_named >= 20


def test_a_single_mistake_blames_nobody_else():
    rng = np.random.default_rng(9)
    for name in (*VOLTAGES[FOUR], *CURRENTS[FOUR]):
        proof = prove(wiring(FOUR).with_sockets([]), spoiled(phasors(FOUR, 0.5, rng), [("turn", name)]))
        assert (proof.suspects[0].turned, proof.suspects[0].moves) == ((name,), ())
    for one, other in (("i1", "i2"), ("i2", "i3"), ("u1", "u3")):
        proof = prove(wiring(FOUR).with_sockets([]), spoiled(phasors(FOUR, 0.5, rng), [("swap", one, other)]))
        assert {frozenset(s.moves[0]) for s in proof.suspects if s.moves and not s.turned} >= {frozenset((one, other))}
        assert proof.suspects[0].turned == ()


def test_a_stated_load_tells_what_angles_alone_cannot():
    given = phasors(FOUR, 0.5, np.random.default_rng(2))
    rotated = {**given, "i1": given["i2"], "i2": given["i3"], "i3": given["i1"]}
    kind = wiring(FOUR).with_sockets([])
    reversed_ = {name: -x if name[0] == "i" else x for name, x in given.items()}
    assert prove(kind, reversed_).plausible  # it may generate
    assert not prove(kind, reversed_, load=True).plausible
    angles = [cmath.phase(given[f"u{k}"] / rotated[f"i{k}"]) for k in (1, 2, 3)]
    assert np.ptp(angles) < 0.2
    assert prove(kind, rotated, load=True).plausible == (math.cos(angles[0]) > 0)
