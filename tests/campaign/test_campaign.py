"""A finished study on many records: right rows, sentences for the rest, nothing lost or twice whatever dies."""

import json
import os
import signal
import subprocess
import sys
import time

import msgspec
import pytest

from conftest import pantelos, write_run
from pantelos.campaigns.conditions import Limit, Standing, chosen, limit_from, standing
from pantelos.campaigns.rows import Cell, Known, Row, Wanted
from pantelos.campaigns.running import run
from pantelos.campaigns.store import Campaign
from pantelos.campaigns.summary import summary_of, unlike_the_others
from pantelos.errors import FileAccessError, FormatError, PantelosError, StudyError
from pantelos.study.storage import load_study

VALUES = ("P = mean(u1 * i1) in steady", "i1 = rms(i1) in steady", "thd = thd(i1) in steady", "n = mean(n) in run")


@pytest.fixture
def campaign(tmp_path, recipe, runs):
    path = tmp_path / "c.campaign"
    values = [part for text in VALUES for part in ("--value", text)]
    assert pantelos("campaign", "new", path, "--recipe", recipe, *values, "--limit", "i1 <= 12 A") == 0
    assert pantelos("campaign", "add", path, runs) == 0
    return path


def rows_of(path):
    made = Campaign(path)
    found = {known.name: known for known in made.records()}
    made.close()
    return found


def test_every_record_has_its_row_or_the_sentence_why_not(campaign, capsys):
    assert pantelos("campaign", "run", campaign, "--workers", 1) == 3  # some have none
    rows = rows_of(campaign)
    assert [name for name, known in rows.items() if known.state == "done"] == [f"run_{k}" for k in range(8)]
    assert "never happens" in rows["run_8"].sentence and "there is no column U1" in rows["run_9"].sentence
    assert rows["run_10"].sentence
    assert rows["run_0"].cells["P"].value == pytest.approx(325 / 2**0.5 * 10 * 0.877583, rel=2e-4)  # U I cos 0.5 by hand
    assert rows["run_0"].cells["thd"].value == pytest.approx(5, rel=1e-3)
    assert rows["run_5"].cells["n"].value == pytest.approx(1450, rel=1e-4)
    capsys.readouterr()
    pantelos("campaign", "show", campaign, "--where", "odd", "--json")
    shown = json.loads(capsys.readouterr().out)
    assert [row["record"] for row in shown["records"]] == ["run_3"] and shown["records"][0]["standing"]["i1"] == "outside"
    assert pantelos("campaign", "set", campaign, "--alias", "U1 = UL1") == 0
    pantelos("campaign", "run", campaign, "--workers", 1)
    assert rows_of(campaign)["run_9"].state == "done"


def test_rows_are_those_of_value_whoever_computes(campaign, tmp_path, recipe, runs, capsys):
    pantelos("campaign", "run", campaign, "--workers", 1)
    alone = rows_of(campaign)
    pantelos("campaign", "run", campaign, "--workers", 2, "--again")
    together = rows_of(campaign)
    for name, known in alone.items():
        assert known.cells == together[name].cells and known.sentence == together[name].sentence
    study = tmp_path / "one.pantelos"
    study.write_bytes(recipe.read_bytes())
    pantelos("relink", study, runs / "run_4.csv")
    steady = 'steady = from first "n rises through 1000 rpm" + 0.4 s for 1 s, whole cycles'
    pantelos("edit", study, "--interval", steady)
    capsys.readouterr()
    pantelos("value", study, "thd(i1) in steady", "--json")
    assert json.loads(capsys.readouterr().out)["value"] == alone["run_4"].cells["thd"].value


def test_only_what_changed_is_done_again(campaign, runs, recipe):
    made = Campaign(campaign)
    run(made, workers=1)
    assert len(made.to_do()) == 0
    write_run(runs / "run_2.csv", 77, current=11)
    assert [path.rsplit("/", 1)[1] for _, path in made.to_do()] == ["run_2.csv"]
    assert run(made, workers=1) == (1, 0)
    made.set_limits([limit_from("P > 1 kW")])
    assert not made.to_do()  # limits are compared, not computed
    made.set_recipe(msgspec.structs.replace(load_study(recipe), title="another"))
    assert len(made.to_do()) == 11
    assert made.add([runs / "run_2.csv"]) == 0  # it is there already
    made.close()


def test_killed_at_any_moment_no_row_is_lost_and_none_is_there_twice(campaign, runs):
    for k in range(30):
        write_run(runs / f"more_{k}.csv", k)
    pantelos("campaign", "add", campaign, runs)
    worked = 0
    for _ in range(3):
        process = subprocess.Popen([sys.executable, "-m", "pantelos", "campaign", "run", str(campaign), "--workers", "2"],
                                   start_new_session=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)  # fmt: skip
        while process.poll() is None and sum(known.state == "done" for known in rows_of(campaign).values()) <= worked + 2:
            time.sleep(0.05)
        os.killpg(process.pid, signal.SIGKILL)
        process.wait()
        done = [known for known in rows_of(campaign).values() if known.state == "done"]
        assert len(done) >= worked and all(len(known.cells) == len(VALUES) for known in done)
        worked = len(done)
    pantelos("campaign", "run", campaign, "--workers", 2)
    rows = rows_of(campaign)
    assert len(rows) == 41 and sum(known.state == "done" for known in rows.values()) == 38


def test_a_worker_that_dies_costs_its_record_alone(campaign, monkeypatch, tmp_path):
    """One record kills every process that touches it."""
    (tmp_path / "sitecustomize.py").write_text(
        "import os, pantelos.campaigns.work as work\n"
        "before = work.values_of\n"
        "def values_of(recipe, path, *rest):\n"
        "    os._exit(9) if path.name == 'run_4.csv' else None\n"
        "    return before(recipe, path, *rest)\n"
        "work.values_of = values_of\n"
    )
    env = os.environ | {"PYTHONPATH": str(tmp_path)}
    subprocess.run([sys.executable, "-m", "pantelos", "campaign", "run", str(campaign), "--workers", "2"], env=env, check=False,
                   capture_output=True)  # fmt: skip
    rows = rows_of(campaign)
    assert "died twice" in rows["run_4"].sentence
    assert [name for name, known in rows.items() if known.state == "done"] == [f"run_{k}" for k in range(8) if k != 4]


def test_a_full_disk_keeps_what_was_kept(campaign):
    made = Campaign(campaign)
    pages = made._db.execute("PRAGMA page_count").fetchone()[0]
    made._db.execute(f"PRAGMA max_page_count = {pages}")
    row = Row({f"v{k}": Cell(1.0, "V" * 200, None, "r" * 300) for k in range(100)}, "", "1:1", "", 0.1)
    with pytest.raises(FileAccessError, match="Rows that were kept before stay"):
        made.keep(1, "key", row)
    made.close()
    assert rows_of(campaign)["run_0"].state == "waiting" and len(rows_of(campaign)) == 11


def test_a_cluster_gives_the_same_rows_though_a_worker_is_killed(campaign):
    distributed = pytest.importorskip("distributed")
    pantelos("campaign", "run", campaign, "--workers", 1)
    alone = {name: (known.cells, known.sentence) for name, known in rows_of(campaign).items()}
    with distributed.LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=None, silence_logs=50) as cluster:
        made = Campaign(campaign)
        victim = next(iter(cluster.workers.values()))
        seen = []

        def told(path, row):
            seen.append(path)
            if len(seen) == 1:
                os.kill(victim.pid, signal.SIGKILL)

        run(made, scheduler=cluster.scheduler_address, again=True, told=told)
        made.close()
    assert {name: (known.cells, known.sentence) for name, known in rows_of(campaign).items()} == alone


def test_what_lands_in_a_folder_is_taken_when_it_is_whole(campaign, tmp_path):
    from pantelos.campaigns.watching import watch

    folder = tmp_path / "landing"
    folder.mkdir()
    whole = write_run(folder / "late.csv", 5).read_bytes()
    (folder / "late.csv").write_bytes(whole[: len(whole) // 2])
    made, looks = Campaign(campaign), []

    def grown(seconds):
        looks.append(made.count())
        if len(looks) == 1:
            (folder / "late.csv").write_bytes(whole)
        time.sleep(seconds / 2)

    watch(made, folder, 1, None, lambda path, row: None, once=True, sleep=grown)
    made.close()
    assert looks[0] == 11  # not taken while it grew
    assert rows_of(campaign)["late"].state == "done"


def test_the_table_and_the_report_say_what_the_rows_say(campaign, tmp_path, capsys):
    pantelos("campaign", "run", campaign, "--workers", 1)
    for suffix in ("csv", "xlsx", "json", "h5"):
        assert pantelos("campaign", "export", campaign, "--to", tmp_path / f"t.{suffix}") == 0
    table = json.loads((tmp_path / "t.json").read_text())["tables"][0]
    assert [row["record"] for row in table["rows"] if row["standing_i1"] == "outside"] == ["run_3"]
    for suffix in ("html", "pdf", "xlsx"):
        assert pantelos("campaign", "report", campaign, "--to", tmp_path / f"r.{suffix}") == 0
    page = (tmp_path / "r.html").read_text()
    assert "run_3" in page and "Unlike the others" in page and "never happens" in page and "--alias" not in page
    capsys.readouterr()
    assert pantelos("campaign", "show", campaign, "--sort", "largest i1") == 0
    assert capsys.readouterr().out.splitlines()[1].startswith("run_3")


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (("new", "x.campaign"), "needs its recipe"), (("show", "nowhere.campaign"), "not there"), (("set", "C", "--limit", "q < 3 V"), "speaks of"),
        (("set", "C", "--limit", "i1 about 3"), "compares nothing"), (("show", "C", "--where", "rather odd"), "compares nothing"),
        (("show", "C", "--sort", "q"), "no value of this campaign"), (("export", "C"), "--to FILE"), (("add", "C", "nothing-*.csv"), "no recording"),
        (("set", "C", "--value", "a = 1", "--value", "a = 2"), "called"),
    ],
)  # fmt: skip
def test_what_cannot_be_done_is_one_sentence(campaign, arguments, said):
    with pytest.raises(PantelosError, match=said):
        pantelos("campaign", *(campaign if one == "C" else one for one in arguments))


def test_a_file_that_is_no_campaign_is_left_as_it_is(tmp_path):
    (tmp_path / "x.campaign").write_text("hello")
    with pytest.raises(FormatError, match="no campaign"):
        Campaign(tmp_path / "x.campaign")
    assert (tmp_path / "x.campaign").read_text() == "hello"


def test_limits_and_conditions_know_units_and_uncertainty():
    cell = Cell(11.9, "A", 0.2, "")
    assert standing(cell, limit_from("i < 12000 mA")) is Standing.UNDECIDED
    assert standing(cell, Limit("i", "<", 12.2, "12.2 A")) is Standing.INSIDE
    assert standing(cell, limit_from("i >= 12.2 A")) is Standing.OUTSIDE
    assert standing(Cell(None, "", None, "gone"), limit_from("i < 1 A")) is Standing.NOT_GIVEN
    known = Known(1, "/a.csv", "done", "", "", 0.1, "", {"i": cell, "eta": Cell(91.0, "%", None, "")})
    assert chosen("i > 11 A and eta < 92 %")(known) and not chosen("i > 11 A, eta < 0.9")(known)
    assert Wanted.from_text("eta = mean(p2) / mean(p1)") == Wanted("eta", "mean(p2) / mean(p1)")
    assert Wanted.from_text("mean(p1) in steady").name == "mean(p1) in steady"


def test_a_summary_by_hand_and_what_is_odd():
    values = [10.0, 10.1, 9.9, 10.05, 9.95, 10.0, 14.0]
    records = [Known(k, f"/r{k}.csv", "done", "", "", 0, "", {"v": Cell(v, "V", 0.01, "")}) for k, v in enumerate(values)]
    of = summary_of("v", records, (limit_from("v < 12 V"),))
    assert (of.n, of.low_in, of.high_in, of.inside, of.outside) == (7, "r2", "r6", 6, 1)
    assert of.mean == pytest.approx(sum(values) / 7) and of.s == pytest.approx(1.5137, rel=1e-3)
    assert list(unlike_the_others(["v"], records)) == [6]
    assert not unlike_the_others(
        ["v"], [msgspec.structs.replace(k, cells={"v": Cell(10.0 + 1e-4 * k.id, "V", 0.1, "")}) for k in records]
    )
    with pytest.raises(StudyError):
        limit_from("nothing")


def test_a_script_without_a_guard_is_run_once(recipe, runs, tmp_path):
    """Processes that take records do not run the script again that wanted them, with the campaign in it."""
    script = tmp_path / "plain.py"
    script.write_text(f"""
import pantelos
with open({str(tmp_path / "ran")!r}, "a") as file:
    file.write("x")
with pantelos.campaign({str(tmp_path / "c.campaign")!r}, pantelos.open({str(recipe)!r}), ["U = rms(u1) in steady"]) as campaign:
    campaign.add(*{[str(runs / f"run_{k}.csv") for k in range(3)]!r})
    print(campaign.run(workers=2))
""")
    ran = subprocess.run([sys.executable, str(script)], capture_output=True, text=True, check=False)
    assert (ran.returncode, ran.stdout.strip()) == (0, "(3, 0)"), ran.stderr
    assert (tmp_path / "ran").read_text() == "x"
