"""Study files that are damaged, absurd or not ours: one sentence each, and the file is left as it is. Saving keeps what it can."""

import json
import os
import stat

import pytest

from pantelos.errors import FormatError, PantelosError
from pantelos.saving import write_whole
from pantelos.sheets.harmless import as_written, harmless
from pantelos.study.importing import import_recording
from pantelos.study.model import Study
from pantelos.study.opening import preview
from pantelos.study.storage import load_study, save_study


@pytest.fixture
def study_file(csv_file, tmp_path, invoke):
    path = tmp_path / "s.pantelos"
    done = invoke("new", path, csv_file, "--connection", "load=single-phase: u=u1, i=i1", "--formula", "p = u1 * i1",
                  "--interval", "steady=0.2..0.4", "--channel", "i1=2 [mA]: direct",
                  "--panel", "spectrum u1")  # fmt: skip
    assert done.exception is None, done.output
    return path


def nested(depth):
    return '{"format": "pantelos-study", "version": 3, "study": ' + "[" * depth + "]" * depth + "}"


def changed(at, value):
    """Return what puts a value at a place, such as study.intervals.0.start_s."""

    def make(content):
        *way, last = at.split(".")
        place = content
        for step in way:
            place = place[int(step)] if step.isdigit() else place[step]
        place[int(last) if last.isdigit() else last] = value
        return json.dumps(content)

    return make


INFINITY, NAN = float("inf"), float("nan")
DAMAGED = {
    "nested deeply": (lambda content: nested(100_000), "cannot be read as JSON"),
    "no JSON": (lambda content: "{", "cannot be read as JSON"),
    "a list": (lambda content: "[]", "this is not a study"),
    "a newer version": (changed("version", 99), "of version 99"),
    "a version that is none": (changed("version", 10**400), "of version"),
    "an unknown format": (changed("study.record.files.0.format", "parsnip" * 100), "is no format"),
    "no files": (changed("study.record.files", []), "it is of no file"),
    "a rate of nothing": (changed("study.record.files.0.dialect.rate_hz", 0.0), "0 is not a rate"),
    "an infinite rate": (changed("study.record.rate_hz", INFINITY), "inf is not a rate"),
    "a scale of NaN": (changed("study.record.files.0.dialect.columns.0.scale", NAN), "nan is not a scale"),
    "a time base that is not there": (changed("study.record.files.0.dialect.columns.0.base", 7), "goes by time base 7"),
    "a trim that ends before it begins": (changed("study.record.trim_s", [2.0, 1.0]), "is not a stretch"),
    "an interval reversed": (changed("study.intervals.0.stop_s", 0.1), "ends at 0.1 s, not after its start"),
    "an interval of NaN": (changed("study.intervals.0.start_s", NAN), "not after its start"),
    "an active interval that is gone": (changed("study.active", "gone"), 'The active interval is "gone"'),
    "a shunt of nothing": (changed("study.channels.0.scaling.transducer", {"kind": "shunt", "value": 0.0, "unit": "ohm"}), "is not a figure of a shunt"),
    "a transducer that does not fit": (changed("study.channels.1.scaling.transducer", {"kind": "shunt", "value": 1.0, "unit": "ohm"}), "A shunt gives volts"),
    "an accuracy below nothing": (changed("study.channels.0.scaling.accuracy", {"gain_percent": -1.0}), "is not a limit"),
    "a unit that is none": (changed("study.channels.0.recorder_unit", "parsnip"), "is not a known unit"),
    "a name twice": (changed("study.channels.1.name", "u1"), "stands there twice"),
    "a socket that is not there": (changed("study.connections.0.sockets", {"u9": "u1"}), "u9"),
    "an unknown wiring": (changed("study.connections.0.wiring", "five-phase"), "five-phase"),
    "orders beyond reason": (changed("study.highest_order", 10**9), "The highest order is"),
    "a panel of nothing": (changed("study.panels.0.channels", ["gone"]), 'it shows "gone"'),
    "a number too large": (changed("study.highest_order", 10**400), "damaged"),
    "a field of another type": (changed("study.title", 5), "Expected `str`"),
}  # fmt: skip


@pytest.mark.parametrize("how", DAMAGED)
def test_a_damaged_study_is_refused_in_one_sentence(how, study_file):
    make, said = DAMAGED[how]
    study_file.write_text(make(json.loads(study_file.read_text())))
    before = study_file.read_bytes()
    with pytest.raises(PantelosError, match=r"^s\.pantelos: ") as caught:
        load_study(study_file)
    text = str(caught.value)
    assert said in text
    assert len(text) < 500
    assert "\n" not in text
    assert study_file.read_bytes() == before


def test_saving_keeps_permissions_and_links_and_clears_what_a_killed_save_left(tmp_path, csv_file):
    kept, link = tmp_path / "kept" / "s.pantelos", tmp_path / "link.pantelos"
    kept.parent.mkdir()
    save_study(Study(title="one"), kept)
    kept.chmod(0o640)
    link.symlink_to(kept)
    left, recent = kept.with_name(".s.pantelos.abc.part"), kept.with_name(".s.pantelos.new.part")
    for path, age in ((left, 7200), (recent, 0)):
        path.write_text("half")
        os.utime(path, (path.stat().st_mtime - age,) * 2)
    study, _ = import_recording(Study(title="two"), csv_file, preview(csv_file).dialect)
    save_study(study, link)
    assert link.is_symlink()
    assert (load_study(kept).title, load_study(link).title) == ("two", "two")
    assert load_study(link).record.files[0].path == str(csv_file)
    assert stat.S_IMODE(kept.stat().st_mode) == 0o640
    assert {path.name for path in kept.parent.iterdir()} == {"s.pantelos", recent.name}  # one that may still be under way stays
    with pytest.raises(PantelosError, match="no such file or directory"):
        write_whole(tmp_path / "gone" / "x", b"")


@pytest.mark.parametrize("text", ["=1+1", "+1", "-1", "@x", "'", "'=1", "''", "plain", "", "\tx", "a=b", "−5"])
def test_no_text_of_a_table_is_a_formula_to_a_spreadsheet_and_all_come_back(text):
    assert harmless(text)[:1] not in ("=", "+", "-", "@", "\t", "\r")
    assert as_written(harmless(text)) == text


def test_a_study_of_another_program_is_named_so(tmp_path):
    path = tmp_path / "x.pantelos"
    path.write_bytes(b"\x00\xff" * 100)
    with pytest.raises(FormatError):
        load_study(path)
