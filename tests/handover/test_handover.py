"""The hand-over of the demos, written and read back by programs that are not ours."""

import io
import json
import re
import struct
import zipfile
import zlib
from base64 import b64encode
from collections import Counter, defaultdict
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
import openpyxl
import pytest
from pypdf import PdfReader

from pantelos.checks import run_checks
from pantelos.cli.main import run
from pantelos.demo.writing import write_demo
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError, StudyError
from pantelos.paper import letters
from pantelos.paper.paper import Box, Role
from pantelos.paper.svg import SvgPaper
from pantelos.sheets.blocks import Cell, CellGrid, Composition, FactList, Figure, GridColumn, GridRow, Picture, Sheet, Words
from pantelos.sheets.columns import choice_of, column_titles, with_columns
from pantelos.sheets.fitting import TypeSetting, column_widths, groups, parted
from pantelos.sheets.html import html
from pantelos.sheets.numbers import row_cells
from pantelos.sheets.pdf import pdf
from pantelos.sheets.workbook import report_workbook
from pantelos.study import operations as op
from pantelos.study.opening import record_of, recordings_of
from pantelos.study.report import ColumnChoice
from pantelos.study.storage import load_study, save_study
from pantelos.tables.bundle import opened_bundle, unpack_bundle, write_bundle
from pantelos.tables.composition import compose
from pantelos.tables.writing import write_report
from pantelos.units import unit

_BY = TypeSetting(8.0, 6.2, 7.2, 4.0, 0.72)


@pytest.fixture(scope="module")
def lift(tmp_path_factory):
    """Five seconds of the goods lift, with the two intervals that lie in them."""
    path = write_demo(tmp_path_factory.mktemp("lift"))
    study = load_study(path)
    study = op.trim(study, 5.5, 10.5, recordings_of(study).record)
    study = op.set_report(study, facts={"order": "4711 <b>", "place": "=hall"}, intervals=("steady lift", "mains dip"))
    study = op.set_quality(study, U_din=230.0, sets=("own",))
    save_study(study, path)
    return path, Evaluation(study, record_of(study))


@pytest.fixture(scope="module")
def made(lift):
    return compose(lift[1], run_checks(lift[1]))


def test_columns_are_chosen_and_ordered_and_it_is_said(lift, made, tmp_path):
    evaluation = lift[1]
    power, harmonics = (next(sheet for sheet in made.sheets if sheet.id == id_) for id_ in ("power", "harmonics"))
    assert column_titles(power) == ("L1", "L2", "L3", "total", "DC link") or column_titles(power)[:4] == (
        "L1",
        "L2",
        "L3",
        "total",
    )
    whole = next(block for block in power.blocks if isinstance(block, CellGrid))
    chosen = with_columns(power, choice_of(column_titles(power), ["total", "L2"]))
    grid = next(block for block in chosen.blocks if isinstance(block, CellGrid))
    assert [(c.title, c.group) for c in grid.columns] == [
        ("", ""), ("", ""), ("total", "steady lift"), ("L2", "steady lift"), ("total", "mains dip"),
    ]  # fmt: skip
    at = [c.title for c in whole.columns].index("L2")
    for row, before in zip(grid.rows, whole.rows, strict=True):
        assert row.group == before.group and (not row.cells or row.cells[3] == before.cells[at])
    assert "columns left out: L1, L3" in chosen.subtitle
    # What was not there when columns were chosen is shown: nothing is left out that nobody left out.
    other = with_columns(power, ColumnChoice(("total",), ("another",)))
    assert set(column_titles(other)) == set(column_titles(power)) and column_titles(other)[0] == "total"
    assert "left out" not in other.subtitle
    given = next(block for block in harmonics.blocks if isinstance(block, CellGrid)).columns
    channels = [c.title for c in given if c.title not in ("order", "f", "limit")]
    copy = tmp_path / "copy.pantelos"
    save_study(evaluation.study, copy)
    wanted = f"harmonics = {channels[1]}, f"
    assert (
        run(["report", str(copy), "--columns", wanted, "--sheet", "harmonics", "--to", str(tmp_path / "c.xlsx"), "--keep"]) == 0
    )
    page = openpyxl.load_workbook(tmp_path / "c.xlsx").worksheets[0]
    heads = next(row for row in page.iter_rows(values_only=True) if row[0] == "order")
    assert [text for text in heads if text and text != "±"] == ["order", channels[1], "f"]
    assert len(page._charts) >= 1 and load_study(copy).report.columns["harmonics"].order == (channels[1], "f")
    assert run(["report", str(copy), "--columns", "harmonics =", "--keep"]) == 0 and not load_study(copy).report.columns
    assert run(["report", str(copy), "--columns", "power = element 1 (u13, i1), total", "--keep"]) == 0
    assert load_study(copy).report.columns["power"].order == ("element 1 (u13, i1)", "total")
    with pytest.raises(StudyError, match=r'no column "L9"; it has L1; L2'):
        run(["report", str(copy), "--columns", "power = total, L9"])


def test_sheets_hold_the_numbers_of_the_evaluation(lift, made):
    evaluation = lift[1]
    sheets = {sheet.id: sheet for sheet in made.sheets}
    assert set(sheets) == {
        "title",
        "traces",
        "panels",
        "power",
        "chain",
        "harmonics",
        "quality",
        "disturbances",
        "readings",
        "own",
        "methods",
    }
    mains = next(block for block in sheets["power"].blocks if isinstance(block, CellGrid))
    p = next(row for row in mains.rows if row.cells and row.cells[0].text == "P")
    total = evaluation.power(evaluation.study.connections[0], "steady lift").total
    at = [column.title for column in mains.columns].index("total")
    assert p.cells[at].value == total.P / 1000 and (p.cells[1].text, p.cells[at].text) == ("kW", "10.425")
    assert p.cells[at].within == "±0.040" and p.cells[at].about.key == "P"
    dips = next(block for block in sheets["disturbances"].blocks if isinstance(block, CellGrid))
    assert dips.rows[0].cells[1].text == "dip" and float(dips.rows[0].cells[5].text) == pytest.approx(60, abs=0.5)


def test_what_a_cell_keeps_in_full_is_what_it_shows(made):
    n = 0
    for sheet in made.sheets:
        for cell in (
            c for b in sheet.blocks if isinstance(b, CellGrid) for row in b.rows for c in row.cells if c.value is not None
        ):
            number = cell.text.partition(" ")[0].replace("−", "-")
            if number == "—":
                continue
            step = 10.0 ** -len(number.partition(".")[2])
            within = float(cell.within[1:]) if cell.within else 0.0
            assert abs(float(number) - cell.value) <= max(0.5001 * step, 0.06 * within), (sheet.id, cell)
            n += 1
    assert n > 200


def test_html_is_one_file_without_scripts_and_the_same_every_time(lift, made):
    page = html(made)
    assert page == html(compose(lift[1], run_checks(lift[1])))
    text = page.decode()
    assert "<script" not in text and "http://" not in text.replace("http://www.w3.org/2000/svg", "")
    assert "4711 &lt;b&gt;" in text and '<section id="power" aria-label="Power">' in text and "10.425" in text
    for figure in re.findall(r"<svg.*?</svg>", text, re.DOTALL):
        ElementTree.fromstring(figure)
    assert text.count("<svg") >= 8


def test_pdf_pages_are_numbered_heads_repeat_and_nothing_is_cut(made):
    content = pdf(made)
    assert content == pdf(made) and content.startswith(b"%PDF-") and len(content) > 50_000
    n = len(re.findall(rb"/Type /Page\b", content))
    assert 8 <= n <= 20
    for paper in ("A4", "Letter"):
        many = CellGrid((GridColumn("order", right=False), *(GridColumn(f"c{k}", group="x") for k in range(4))), tuple(
            GridRow(tuple(Cell(f"{k * j + 0.5}") for j in range(5))) for k in range(300)
        ))  # fmt: skip
        made_long = Composition("long", "p", (Sheet("a", "A", "b", (many, Words("word " * 300))),), (), paper)
        assert len(re.findall(rb"/Type /Page\b", pdf(made_long))) >= 5


def test_an_independent_reader_finds_headings_grids_and_figures_of_a_pdf_for_archives(made):
    """PDF/A-2b: fonts inside, a colour profile, the document told; every mark of a page belongs to a part, in reading order."""
    reader = PdfReader(io.BytesIO(pdf(made)))
    root = reader.trailer["/Root"]
    told = root["/Metadata"].get_object().get_data().decode()
    assert "<pdfaid:part>2</pdfaid:part>" in told and "<pdfaid:conformance>B</pdfaid:conformance>" in told
    assert root["/OutputIntents"] and root["/Lang"] == "en" and made.title in told
    fonts = [font.get_object() for page in reader.pages for font in page["/Resources"]["/Font"].values()]
    assert all(
        "/FontFile2" in font["/DescendantFonts"][0].get_object()["/FontDescriptor"] and "/ToUnicode" in font for font in fonts
    )
    parts, marks = Counter(), defaultdict(list)

    def walk(part, inside):
        kind, kids = part["/S"], part.get("/K", [])
        parts[inside, kind] += 1
        for kid in kids if isinstance(kids, list) else [kids]:
            if isinstance(kid, int):
                marks[part["/Pg"].get_object().indirect_reference.idnum].append(kid)
            else:
                walk(kid.get_object(), kind)

    walk(root["/StructTreeRoot"]["/K"][0].get_object(), "")
    grids = sum(isinstance(block, CellGrid | FactList) for sheet in made.sheets for block in sheet.blocks)
    assert parts["/Document", "/H1"] >= len(made.sheets) and parts["/Document", "/Table"] >= grids
    assert parts["/Table", "/TR"] > 100 and parts["/TR", "/TH"] > 100 and parts["/TR", "/TD"] > 500
    assert parts["/Document", "/Figure"] == sum(isinstance(block, Figure) for sheet in made.sheets for block in sheet.blocks)
    for page in reader.pages:
        found = re.findall(rb"/MCID (\d+)", page.get_contents().get_data())
        assert sorted(marks[page.indirect_reference.idnum]) == list(range(len(found)))


def test_no_file_says_when_it_was_written(made):
    """The same study gives the same bytes on another day: what a library would date is dated by us."""
    with zipfile.ZipFile(io.BytesIO(report_workbook(made))) as archive:
        assert archive.read("docProps/core.xml").count(b"2000-01-01T00:00:00Z") == 2
        assert {entry.date_time[0] for entry in archive.infolist()} == {1980}
    assert pdf(made) == pdf(made) and b"<xmp:CreateDate>2000-01-01T00:00:00+00:00<" in pdf(made)


def test_a_workbook_holds_numbers_in_full_with_formats_heads_and_charts(lift, made):
    book = openpyxl.load_workbook(io.BytesIO(report_workbook(made)))
    power = book["Power"]
    values = {row[0].value: row for row in power.iter_rows() if row[0].value in ("P", "U", "PF")}
    total = lift[1].power(lift[1].study.connections[0], "steady lift").total
    cell = next(c for c in values["P"] if isinstance(c.value, float) and c.value > 9)
    assert isinstance(cell.value, float) and cell.number_format.startswith("0.0")
    assert any(isinstance(c.value, float) and c.value == total.P / 1000 for row in power.iter_rows() for c in row)
    assert (
        power.page_setup.orientation == "landscape"
        and power.sheet_properties.pageSetUpPr.fitToPage
        and power.page_setup.fitToHeight == 0
    )
    assert len(book["Harmonics"]._charts) == 4  # mains and machine, voltages and currents
    assert not any(
        str(c.value).startswith("=") for sheet in book for row in sheet.iter_rows() for c in row
    )  # nothing is a formula


def test_grids_are_parted_between_intervals_and_fit(made):
    for sheet in made.sheets:
        for block in sheet.blocks:
            if not isinstance(block, CellGrid):
                continue
            for part in parted(block, 500.0, _BY):
                widths = column_widths(part, 500.0, _BY)
                assert sum(widths) <= 500.0 + 1e-6
                for row in part.rows:
                    for cell, column, wide in zip(row.cells, part.columns, widths, strict=False):
                        assert not column.right or _BY.needed(cell) <= wide, (sheet.id, cell.text)
    wide = CellGrid(
        (GridColumn("a"), *(GridColumn("x", group=name) for name in "bcde" for _ in range(3))),
        (GridRow(tuple(Cell("123456789") for _ in range(13))),),
    )
    parts = parted(wide, 260.0, _BY)
    assert [g for part in parts for g, _ in groups(part) if g] == list("bcde") and all(
        part.columns[0].title == "a" for part in parts
    )


def test_digits_follow_accuracy_and_what_is_shown_covers_it():
    rng = np.random.default_rng(4)
    for value, u in zip(10 ** rng.uniform(-6, 6, 300), 10 ** rng.uniform(-9, 6, 300), strict=True):
        symbol, (cell,) = row_cells([value], [u], unit("V"), [Role.INK], [None], True, [False])
        scale = {"V": 1, "mV": 1e-3, "µV": 1e-6, "kV": 1e3, "MV": 1e6, "nV": 1e-9}[symbol]
        shown, within = float(cell.text.replace("−", "-")) * scale, float(cell.within[1:]) * scale
        assert abs(shown - value) <= max(within, 1e-300) * 1.0001 and within >= 0.94 * u
        assert len(cell.text.replace(".", "").lstrip("0")) <= 8


def test_letters_are_as_wide_as_the_font_says():
    assert letters.width("", 10) == 0 and letters.width("WW", 10) == pytest.approx(2 * letters.width("W", 10))
    assert letters.width("W", 10, bold=True) > letters.width("W", 10) > letters.width("i", 10)
    lines = letters.wrapped("a " * 200 + "b" * 300, 100.0, 10.0)
    assert all(letters.width(line, 10.0) <= 100.0 for line in lines) and "".join(lines).replace(" ", "") == "a" * 200 + "b" * 300
    assert letters.shortened("abcdefgh", 30.0, 10.0).endswith("…")


def test_paper_of_svg_breaks_lines_where_values_are_missing():
    paper = SvgPaper(100, 50)
    paper.line(np.array([0, 1, np.nan, 3, 4.0]), np.array([0, 1, 2, 3, 4.0]), Role.INK)
    paper.words(Box(0, 0, 50, 10), "<&>", Role.SOFT)
    with paper.clipped(Box(0, 0, 10, 10)):
        paper.shades(Box(0, 0, 10, 10), np.array([[0.0, 1.0], [0.5, 0.5]]), "L1")
    drawn = ElementTree.fromstring(paper.svg("a"))
    assert len([e for e in drawn.iter() if e.tag.endswith("polyline")]) == 2 and "&lt;&amp;&gt;" in paper.svg("a")


def test_a_bundle_is_verified_opens_elsewhere_and_gives_the_same_numbers(lift, tmp_path):
    bundle = tmp_path / "lift.pantelos-bundle"
    write_bundle(lift[1], (), bundle)
    elsewhere = tmp_path / "away"
    elsewhere.mkdir()
    moved = elsewhere / bundle.name
    moved.write_bytes(bundle.read_bytes())
    study = opened_bundle(moved)
    again = load_study(study)
    evaluation = Evaluation(again, record_of(again))
    assert (
        evaluation.power(again.connections[0], "steady lift").total.P
        == lift[1].power(lift[1].study.connections[0], "steady lift").total.P
    )
    save_study(op.set_report(again, paper="Letter"), study)
    assert load_study(opened_bundle(moved)).report.paper == "Letter"  # opened as it was left
    with zipfile.ZipFile(moved) as archive:
        names = {one["name"] for one in json.loads(archive.read("manifest.json"))["files"]}
    assert names >= {"goods-lift.csv", "lift.pantelos", "report.html", "report.pdf", "tables.json", "tables.xlsx"}


@pytest.mark.parametrize("how", ["changed", "outside", "cut", "none", "longer"])
def test_a_bundle_that_is_not_what_it_says_leaves_nothing(how, tmp_path):
    manifest = {"format": "pantelos-bundle", "version": 1, "program": "p", "title": "t", "study": "a.pantelos",
                "files": [{"name": "../evil" if how == "outside" else "a.pantelos", "blake2b": "0" * 64, "size": 1 if how != "longer" else 10**14}]}  # fmt: skip
    path = tmp_path / "b.pantelos-bundle"
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("a.pantelos", "x")
        archive.writestr("manifest.json", json.dumps(manifest))
    if how == "cut":
        path.write_bytes(path.read_bytes()[:60])
    if how == "none":
        path.write_text("no archive")
    with pytest.raises(PantelosError) as error:
        unpack_bundle(path, tmp_path / "out")
    assert "b.pantelos-bundle" in str(error.value) and not (tmp_path / "out").exists() and not (tmp_path / "evil").exists()


def test_report_and_bundle_on_the_command_line(lift, tmp_path, capsys):
    path = lift[0]
    assert (
        run(
            [
                "report",
                str(path),
                "--sheet",
                "power",
                "--to",
                str(tmp_path / "r.html"),
                "--fact",
                "order = 5",
                "--paper",
                "Letter",
                "--json",
            ]
        )
        == 0
    )
    assert [one["id"] for one in json.loads(capsys.readouterr().out)] == ["power"]
    assert run(["report", str(path)]) == 0 and "in  power" in capsys.readouterr().out
    for more, why in (
        (["--sheet", "colour"], "no sheet"),
        (["--to", str(tmp_path / "r.doc")], "not written"),
        (["--paper", "A9"], "no paper"),
        (["--fact", "x"], "label"),
    ):
        with pytest.raises(StudyError, match=why):
            run(["report", str(path), *more])
    other = tmp_path / "next.pantelos"
    save_study(load_study(path), other)
    assert (
        run(["report", str(other), "--template", str(path), "--sheet", "title", "--to", str(tmp_path / "n.html"), "--keep"]) == 0
    )
    assert "4711" in (tmp_path / "n.html").read_text() and load_study(other).report.facts["order"].startswith("4711")
    part = tmp_path / "part.pantelos-bundle"
    assert run(["bundle", str(path), str(part), "--interval", "mains dip"]) == 0
    study = load_study(unpack_bundle(part, tmp_path / "part"))
    assert record_of(study).n_samples == pytest.approx(4000, abs=2)
    with pytest.raises(StudyError, match="No sheet"):
        write_report(Composition("t", "p", ()), lift[1], Path(tmp_path / "e.html"))


_DRAWN = b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 240 80"><rect width="240" height="80" fill="#204a87"/></svg>'


def dotted(width, height):
    """A PNG of one colour, written by hand."""

    def chunk(kind, data):
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    rows = (b"\0" + bytes((40, 90, 150)) * width) * height
    head = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(rows)) + chunk(b"IEND", b"")


@pytest.mark.parametrize(("name", "data", "media"), [("a.png", dotted(440, 64), "png"), ("a.svg", _DRAWN, "svg+xml")])
def test_a_logo_stands_at_the_head_of_every_form_and_in_the_study(small_demo_of, tmp_path, name, data, media):
    evaluation, path = small_demo_of("ripple"), tmp_path / name
    path.write_bytes(data)
    study = op.set_logo(evaluation.study, path)
    save_study(study, tmp_path / "s.pantelos")
    assert load_study(tmp_path / "s.pantelos").report.logo == study.report.logo and study.report.logo == data
    made = compose(evaluation.on(study), (), only=["title"])
    assert f"data:image/{media};base64,{b64encode(data).decode()}" in html(made).decode()
    page = PdfReader(io.BytesIO(pdf(made))).pages[0]
    (shown,) = (block for block in made.sheets[0].blocks if isinstance(block, Picture))
    assert (shown.width, shown.height) == ((220, 32) if media == "png" else (192, 64))
    assert (
        len(page.images) == (1 if media == "png" else 0) and b"0.1255 0.2902 0.5294 rg" in page.get_contents().get_data()
    ) or media == "png"
    book = openpyxl.load_workbook(io.BytesIO(report_workbook(made)))
    assert len(book.worksheets[0]._images) == (1 if media == "png" else 0)
    assert op.set_logo(study, None).report.logo == b""


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><script>x</script></svg>', "scripts"),
        (b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><image href="file:///etc/passwd"/></svg>', "elsewhere"),
        (b'<!DOCTYPE a [<!ENTITY b "c">]><svg viewBox="0 0 9 9"/>', "entities"),
        (b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><style>a{fill:#f00}</style></svg>', "has a <style>"),
        (b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path d="M 0 0 L x"/></svg>', "cannot be drawn"),
        (b'<svg xmlns="http://www.w3.org/2000/svg"/>', "0 by 0 pixels"), (b"text", "neither"), (b"", "neither"), (bytes(300_000), "256 KB"), (b"\x89PNG\r\n\x1a\n" + bytes(30), "damaged PNG"), (dotted(440, 64)[:80], "damaged PNG"),
    ],
)  # fmt: skip
def test_what_is_no_logo_is_refused_in_a_sentence(small_demo_of, tmp_path, data, said):
    (tmp_path / "logo").write_bytes(data)
    with pytest.raises(StudyError, match=said):
        op.set_logo(small_demo_of("ripple").study, tmp_path / "logo")


def test_a_closed_version_stays_beside_later_ones_and_is_written_again_as_it_was(small_demo_of, tmp_path, invoke):
    there = tmp_path / "ripple.pantelos"
    save_study(small_demo_of("ripple").study, there)
    said = invoke("seal", there)
    assert said.exit_code == 1 and "day of issue" in str(said.exception)
    of_title = ("report", there, "--sheet", "title", "--fact")
    invoke(*of_title, "issued = 2026-12-01", "--keep", "--to", tmp_path / "draft.html")
    assert "version" not in (tmp_path / "draft.html").read_text()
    assert "version 1, issued 2026-12-01" in invoke("seal", there).stdout
    assert "Nothing was changed since version 1" in str(invoke("seal", there).exception)
    written = ("report", there, "--sheet", "title", "--version", "1", "--to")
    invoke(*written, tmp_path / "first.pdf")
    invoke("report", there, "--sheet", "title", "--to", tmp_path / "unchanged.pdf")  # what nobody changed is no draft
    assert (tmp_path / "unchanged.pdf").read_bytes() == (tmp_path / "first.pdf").read_bytes()
    invoke(*of_title, "object = another", "--keep", "--to", tmp_path / "draft.html")
    assert "draft, after version 1 of 2026-12-01" in (tmp_path / "draft.html").read_text()
    invoke(*of_title, "issued = 2026-12-09", "--keep")
    invoke("seal", there)
    invoke(*written, tmp_path / "again.pdf")
    assert (tmp_path / "again.pdf").read_bytes() == (tmp_path / "first.pdf").read_bytes()
    invoke("report", there, "--sheet", "title", "--version", "2", "--to", tmp_path / "second.html")
    second = (tmp_path / "second.html").read_text()
    assert "2, replaces version 1 of 2026-12-01" in second and "another" in second
    assert "no closed version 3; there are 1 of 2026-12-01, 2 of 2026-12-09" in str(
        invoke(*written[:4], "--version", "3").exception
    )
    refused = invoke("report", there, "--version", "1", "--keep")
    assert "written as it was" in str(refused.exception) and len(load_study(there).sealed) == 2
    # A bundle carries them, wherever it is opened.
    study = load_study(there)
    write_bundle(Evaluation(study, record_of(study)), (), tmp_path / "r.pantelos-bundle")
    (tmp_path / "away").mkdir()
    moved = (tmp_path / "r.pantelos-bundle").rename(tmp_path / "away" / "r.pantelos-bundle")
    opened = opened_bundle(moved)
    invoke("report", opened, "--sheet", "title", "--version", "1", "--to", tmp_path / "away.pdf")
    assert (tmp_path / "away.pdf").read_bytes() == (tmp_path / "first.pdf").read_bytes()
    # What was changed by another hand is no closed version.
    there.write_text(there.read_text().replace("another", "anOther"))
    assert "its mark does not fit" in str(invoke(*written[:4], "--version", "2").exception)
