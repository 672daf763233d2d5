"""Results kept of one study serve another only where they are the same: a kept cache tells what a fresh one does."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.remembered import remembered
from pantelos.engine.results import ResultCache
from pantelos.errors import PantelosError
from pantelos.study import operations as op
from pantelos.study.model import ChainPoint, Interval, Quality
from pantelos.tables.building import build_tables
from pantelos.tables.kinds import TABLES

RATE = 4000.0
T = np.arange(3200) / RATE


def waves():
    made = {}
    for kind, size, f, behind in (
        ("u", 230.0, 50.0, 0.0),
        ("i", 5.0, 50.0, 0.4),
        ("ub", 120.0, 83.0, 0.1),
        ("ib", 8.0, 83.0, 0.9),
    ):
        for k in (1, 2, 3):
            turn = 2 * np.pi * (f * T - k / 3) - behind
            made[f"{kind}{k}"] = (1 + 0.03 * k) * size * math.sqrt(2) * (np.sin(turn) + 0.05 * np.sin(5 * turn + k))
    return made


def wired(study, name, kind, of_kind):
    """The study with a connection of another kind, its sockets filled with channels of one source in turn."""
    study = (
        op.change_wiring(study, name, kind)
        if any(c.name == name for c in study.connections)
        else op.add_connection(study, name, kind)
    )
    for socket in study_sockets(kind):
        study = op.place_channel(study, name, socket, f"{socket[0]}{of_kind}{socket[1:2] or '1'}")
    return study


def study_sockets(kind):
    return (
        ("u", "i")
        if kind == "single-phase"
        else tuple(f"{q}{k}" for q in "ui" for k in ((1, 2, 3) if "4w" in kind else (12, 23, 31)))
    )


CHANGES = {
    "chain turned": lambda s, grid: replace(s, chain=s.chain[::-1]),
    "a in one phase": lambda s, grid: wired(s, "a", "single-phase", ""),
    "a in four wires": lambda s, grid: wired(s, "a", "three-phase-4w", ""),
    "b in four wires": lambda s, grid: wired(s, "b", "three-phase-4w", "b"),
    "another channel": lambda s, grid: op.scale_channel(s, "u1", "divider 2:1" if "2" not in repr(s.channel("u1").scaling.transducer) else ""),
    "orders": lambda s, grid: replace(s, highest_order=70 - s.highest_order),
    "every": lambda s, grid: replace(s, every="cycle" if s.every != "cycle" else "200 ms"),
    "reference": lambda s, grid: replace(s, reference="ub1" if s.reference is None else None),
    "interval": lambda s, grid: op.move_interval(s, "part", 0.1, 0.3 if s.interval("part").stop_s > 0.4 else 0.7, grid),
    "declared": lambda s, grid: replace(s, quality=Quality() if s.quality != Quality() else op.quality_from(s.quality, "U_din = 230 V")),
    "formula": lambda s, grid: op.set_formula(s, "m = 2 * mean(u1 * i1)" if s.formula("m").expression.startswith("mean") else "m = mean(u1 * i1)"),
}  # fmt: skip


def told(evaluation):
    """What every table says, or why there is none."""
    found = {}
    for id_ in TABLES_TOLD:
        try:
            tables = build_tables(evaluation, [id_]).tables
            found[id_] = [(table.id, [c.key for c in table.columns], repr(table.rows)) for table in tables]
        except PantelosError as error:
            found[id_] = str(error)
    return found


# Each way to a result once; `readings` takes as long as all others together and goes by the same door as `readouts`.
TABLES_TOLD = [
    kind.id for kind in TABLES if kind.id not in ("readings", "bands", "harmonic_power", "groups", "comparison", "evidence")
]


@settings(max_examples=4, deadline=None)
@given(st.lists(st.sampled_from(sorted(CHANGES)), min_size=2, max_size=4))
def test_a_kept_cache_tells_what_a_fresh_one_does(changes):
    base = BASE[0]
    study, kept = base.study, ResultCache()
    for change in ["", *changes]:
        if change:
            study = CHANGES[change](study, base.record.grid)
        assert told(Evaluation(study, base.record, kept)) == told(Evaluation(study, base.record, ResultCache())), change


BASE = []


@pytest.fixture(autouse=True, scope="module")
def base():
    from made import evaluation_on

    evaluation = evaluation_on(RATE, **waves())
    study = wired(wired(evaluation.study, "a", "single-phase", ""), "b", "single-phase", "b")
    study = op.add_interval(study, Interval("part", 0.1, 0.7), evaluation.record.grid)
    study = op.set_formula(study, "m = mean(u1 * i1)")
    BASE[:] = [Evaluation(replace(study, chain=(ChainPoint("a", "drive"), ChainPoint("b")), highest_order=20), evaluation.record)]


def test_the_two_mistakes_that_were_found_are_gone():
    """A power chain the other way round, and a four-wire connection read as one phase, on results of the former."""
    for first, second in (("a in four wires", "chain turned"), ("a in four wires", "a in one phase")):
        kept, study = ResultCache(), BASE[0].study
        for change in (first, second):
            study = CHANGES[change](study, BASE[0].record.grid)
            assert told(Evaluation(study, BASE[0].record, kept)) == told(Evaluation(study, BASE[0].record, ResultCache()))


def test_another_name_for_an_interval_makes_nothing_anew():
    kept, base = ResultCache(), BASE[0]
    before = told(Evaluation(base.study, base.record, kept))
    made = set(kept._results)
    after = told(Evaluation(op.rename_interval(base.study, "part", "piece"), base.record, kept))
    assert {key[0] for key in set(kept._results) - made} <= {
        "pantelos.engine.samples.Samples._made"
    }  # a readout tells where it is taken
    assert repr(after) == repr(before).replace("'part'", "'piece'").replace('"part"', '"piece"')


def test_a_word_that_nobody_knows_what_it_stands_for_is_refused_where_it_is_written():
    with pytest.raises(TypeError, match="nobody knows"):

        @remembered()
        def of_something(evaluation: Evaluation, something: str) -> int:
            return 0
