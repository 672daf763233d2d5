"""What the program writes it reads; what it cannot do it says in one sentence, and leaves what was there as it was."""

import json
import os
import re

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from pantelos.errors import PantelosError, StudyError, access_error
from pantelos.formula.uses import names_used
from pantelos.study import operations as op
from pantelos.study.model import Interval
from pantelos.study.opening import record_of
from pantelos.study.storage import load_study, save_study

NAMES = st.one_of(st.text(max_size=12), st.sampled_from(["x" * 999, "x" * 1001, "Ω·s", "a b", " ", "\ud800", "nan"]))
NUMBERS = st.one_of(st.floats(), st.sampled_from([0.0, 0.1, 1e308, -1e308, 1e-308]))


@pytest.fixture
def made(tmp_path, invoke):
    """Return a small study on disk."""
    t = np.arange(200) / 1e3
    (tmp_path / "a.csv").write_text("t [s],u [V]\n" + "".join(f"{x:.3f},{np.sin(314 * x):.5f}\n" for x in t))
    assert invoke("new", tmp_path / "a.pantelos", tmp_path / "a.csv").exception is None
    return tmp_path / "a.pantelos"


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=150)
@given(NAMES, NAMES, NUMBERS, NUMBERS)
def test_what_is_saved_opens_again(made, name, other, low, high):
    study = load_study(made)
    grid = record_of(study).grid
    for change in (
        lambda s: op.set_formula(s, f"{name} = u * 2"),
        lambda s: op.rename_channel(s, "u", other),
        lambda s: op.add_interval(s, Interval(name, low, high), grid),
        lambda s: op.scale_channel(s, s.channels[0].name, f"factor {low:g} A/V, accuracy {high:g} %"),
    ):
        before = made.read_bytes()
        try:
            changed = change(study)
            save_study(changed, made)
        except PantelosError:
            assert made.read_bytes() == before
            continue
        study = load_study(made)


@pytest.mark.parametrize(
    "change",
    ["--trim=1e308..1", "--trim=nan..1", "--trim=-1e308..-1e300", "--read-at=1e308", "--zero=1e308", "--interval=x=0..1e308"],
)
def test_numbers_beyond_reason_are_answered_in_one_sentence(made, invoke, change):
    before = made.read_bytes()
    ran = invoke("edit", made, change)
    assert isinstance(ran.exception, PantelosError) and made.read_bytes() == before
    assert invoke("show", made).exception is None


def test_a_name_that_is_not_utf_8_is_read_and_not_kept(tmp_path, made, invoke):
    odd = os.fsdecode(os.fsencode(tmp_path) + b"/b\xff.csv")
    (tmp_path / "a.csv").rename(odd)
    assert invoke("inspect", odd).exception is None
    ran = invoke("new", tmp_path / "b.pantelos", odd)
    assert isinstance(ran.exception, StudyError) and "UTF-8" in str(ran.exception) and not (tmp_path / "b.pantelos").exists()


def test_a_study_that_may_not_be_written_to_is_not_replaced(made, invoke):
    made.chmod(0o444)
    before = made.read_bytes()
    ran = invoke("edit", made, "--title", "other")
    assert "it may not be written to. Check the permissions" in str(ran.exception) and made.read_bytes() == before


def test_a_recording_that_was_moved_names_the_way_to_find_it(made, invoke, tmp_path):
    (tmp_path / "a.csv").rename(tmp_path / "b.csv")
    assert "pantelos relink STUDY a.csv" in str(invoke("show", made).exception)
    assert invoke("relink", made, tmp_path / "b.csv").exception is None and invoke("show", made).exception is None


@pytest.mark.parametrize(
    ("version", "said"), [("0", "which there never was"), ("-3", "which there never was"), ("99", "a newer Pantelos")]
)
def test_versions_are_told_apart(made, version, said, invoke):
    made.write_text(re.sub(r'"version": \d+', f'"version": {version}', made.read_text()))
    assert said in str(invoke("show", made).exception)


def test_a_broken_formula_is_named_where_it_is_used(made, invoke):
    assert invoke("edit", made, "--formula", "y = u * 2").exception is None
    text = made.read_text()
    made.write_text(
        text.replace('"expression": "u * 2"', '"expression": "u * ("').replace('"expression": "u*2"', '"expression": "u * ("')
    )
    assert names_used("mean(y)") == {"y"} and "stops too early" in str(invoke("value", made, "mean(y)").exception)
    assert invoke("value", made, "mean(u)").exception is None


def test_facts_of_several_sources_stand_in_a_file_once_each(made, invoke, tmp_path, recwarn):
    rows = (tmp_path / "a.csv").read_text().splitlines()
    (tmp_path / "b.csv").write_text("\n".join([rows[0], *(f"{0.2 + k / 1e3:.3f},0" for k in range(200))]))
    assert invoke("new", tmp_path / "two.pantelos", tmp_path / "a.csv", tmp_path / "b.csv").exception is None
    for suffix in (".npz", ".h5"):
        assert invoke("convert", tmp_path / "two.pantelos", tmp_path / f"two{suffix}").exception is None
        seen = invoke("inspect", tmp_path / f"two{suffix}").stdout
        assert "source file: a.csv" in seen and "source file (2): b.csv" in seen
    assert not recwarn.list


@pytest.mark.parametrize(
    "said", ["Can't close file (file write failed: errno = 28, buf = 0x55)", "2000 requested and 0 written", "[Errno 28] detail"]
)
def test_a_full_disk_is_one_sentence_whichever_library_says_it(tmp_path, said):
    assert str(access_error(tmp_path, "written", OSError(said))).endswith(
        "no space left on device. Free some space or choose another disk; what was there before is untouched."
    )


@pytest.mark.parametrize("encoding", ["utf-81e400", "", "\0"])
def test_letters_in_no_known_encoding_are_told(made, encoding):
    content = json.loads(made.read_bytes())
    content["study"]["record"]["files"][0]["dialect"]["encoding"] = encoding
    made.write_text(json.dumps(content))
    with pytest.raises(PantelosError, match="no known encoding"):
        record_of(load_study(made))
