"""Recordings as others write them are read with names, units, rate and start right, and nothing about them is silent."""

import numpy as np
import pytest
from corpus import CORPUS, I, N, U

from pantelos.checks.as_read import as_read
from pantelos.engine.evaluation import Evaluation
from pantelos.study.importing import import_recording
from pantelos.study.model import Study
from pantelos.study.opening import preview

SIGNALS = {"u": U, "i": I}


@pytest.mark.parametrize("name", CORPUS)
def test_a_recording_as_others_write_it(name, tmp_path):
    case = CORPUS[name]
    path = tmp_path / f"run{case.suffix}"
    if isinstance(case.write, str):
        path.write_bytes(case.write.encode())
    else:
        case.write(path)
    found = preview(path)
    assert found.problems == ()
    study, recordings = import_recording(Study(), path, found.dialect)
    read = recordings.of(study.record.files[0])
    channels = [raw for recording in read for raw in recording.channels]
    assert tuple(raw.name for raw in channels) == case.names
    assert tuple(raw.unit.symbol for raw in channels) == case.units
    assert tuple(dict.fromkeys(recording.rate_hz for recording in read)) == pytest.approx(case.rates, rel=1e-9)
    assert (read[0].began.text(3) if read[0].began else "") == case.began
    for raw in channels:
        if raw.name in SIGNALS and not case.extra and "groups" not in name:
            assert np.asarray(raw.samples) == pytest.approx(SIGNALS[raw.name][: len(raw.samples)], abs=6e-5)
    # what is told when looking is told when it is read, and by the checks
    evaluation = Evaluation(study, recordings.record(study.record))
    said = [notice.text for notice in as_read(evaluation)]
    assert {notice.text for notice in found.told} <= set(said)
    for part in case.told:
        assert any(part in text for text in said), said
    grid = [text for text in said if "is read at" in text or "skew" in text]  # what setting it on one grid did
    counted = [text for text in said if "beyond the range" in text or "missing" in text]
    assert len(said) - len(grid) - len(counted) == len(case.told), said
    for at, (beyond, missing) in enumerate(zip(*case.extra.values(), strict=True)) if case.extra else ():
        assert channels[at].n_beyond == beyond
        assert int(np.isnan(channels[at].samples).sum()) == beyond + missing
        for n, what in ((beyond, "beyond"), (missing, "missing")):
            assert bool(n) == any(text.startswith(f"{n} samples of {channels[at].name} are {what}") for text in said), said
    assert len(read[0].channels[0].samples) == N
