"""What tests share: a cache of their own, sines with known answers, studies on arrays in memory."""

import contextlib
import io
import os
from dataclasses import dataclass

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
import pytest
from hypothesis import settings

from made import evaluation_on
from pantelos.cli.main import run
from pantelos.demo.small import ensure_small_demo, small_demo
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError
from pantelos.study.opening import recordings_of
from pantelos.study.storage import load_study

# The same examples in every run, so that a red run is never chance; HYPOTHESIS_PROFILE=searching looks further.
settings.register_profile("repeatable", derandomize=True, deadline=None)
settings.register_profile("searching", derandomize=False, deadline=None)
settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE", "repeatable"))


@dataclass
class Ran:
    """What a command printed and how it ended."""

    stdout: str
    output: str
    exception: BaseException | None
    exit_code: int


@pytest.fixture
def invoke():
    """Return what runs a command line in this process."""

    def call(*arguments):
        out, both = io.StringIO(), io.StringIO()
        error, code = None, 0
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(both):
            try:
                code = run([str(argument) for argument in arguments])
            except PantelosError as caught:
                error, code = caught, 1
            except SystemExit as left:
                code = left.code
        failed = SystemExit(code) if code and error is None else error
        return Ran(out.getvalue(), out.getvalue() + both.getvalue(), failed, code)

    return call


@pytest.fixture(scope="session", autouse=True)
def shared_cache(tmp_path_factory):
    """Keep the run away from the user's cache; one for all its processes: what is written or read once is there for all."""
    base = tmp_path_factory.getbasetemp()
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("PANTELOS_CACHE", str((base.parent if "PYTEST_XDIST_WORKER" in os.environ else base) / "cache"))
        yield


@pytest.fixture
def own_cache(tmp_path, monkeypatch):
    """A cache that nobody else fills: for tests that look into it."""
    monkeypatch.setenv("PANTELOS_CACHE", str(tmp_path / "own-cache"))


@pytest.fixture(autouse=True)
def own_decisions(tmp_path_factory, monkeypatch):
    """Keep every test away from what the user and other tests have decided or left."""
    monkeypatch.setenv("PANTELOS_SETTINGS", str(tmp_path_factory.mktemp("settings")))
    monkeypatch.setenv("PANTELOS_STATE", str(tmp_path_factory.mktemp("state")))


@pytest.fixture
def sine():
    """Return S(A, f, φ) of the reference cases: rms A, degrees φ, sampled at rate_hz over seconds."""

    def make(rms, freq_hz, angle_deg=0.0, *, rate_hz=10_000.0, seconds=0.2):
        t = np.arange(round(rate_hz * seconds)) / rate_hz
        return np.sqrt(2) * rms * np.sin(2 * np.pi * freq_hz * t + np.radians(angle_deg))

    return make


@pytest.fixture
def evaluation_of():
    """Return what makes evaluations of arrays."""
    return evaluation_on


LINES = ("# recorder: bench 4", "sample rate: 10 kHz", "", "u1 [V],i1 [mA]")


@pytest.fixture
def csv_file(tmp_path, sine):
    """Return a CSV recording of one phase: 230 V, 5 A at 60 degrees behind, 10 kHz, 1 s."""
    u, i = sine(230, 50, seconds=1), 1000 * sine(5, 50, -60, seconds=1)
    path = tmp_path / "run.csv"
    rows = "\n".join(f"{a!r},{b!r}" for a, b in zip(u.tolist(), i.tolist(), strict=True))
    path.write_text("\n".join(LINES) + "\n" + rows + "\n")
    return path


@pytest.fixture(scope="session")
def small_demo_of(tmp_path_factory):
    """Return the evaluation of a small demo by its id, written once."""
    made = {}

    def get(id_):
        if id_ not in made:
            study = load_study(ensure_small_demo(small_demo(id_), tmp_path_factory.mktemp(id_)))
            made[id_] = Evaluation(study, recordings_of(study).record(study.record))
        return made[id_]

    return get
