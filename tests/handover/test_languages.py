"""Reports in other languages: every text passes one place; names stay, numbers take their sign, what is not known is named."""

import io
import re
from pathlib import Path

import openpyxl
import pytest
from babel.messages.pofile import read_po
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from pypdf import PdfReader

from pantelos import sheets
from pantelos.checks import run_checks
from pantelos.cli.main import run
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.sheets.languages import Language, in_language, languages, untranslated
from pantelos.study import operations as op
from pantelos.study.opening import record_of
from pantelos.study.storage import save_study
from pantelos.tables.composition import compose

OTHERS = languages()[1:]


@pytest.fixture(scope="module")
def made(small_demo_of, tmp_path_factory):
    path = tmp_path_factory.mktemp("languages") / "incidents.pantelos"
    study = op.set_quality(small_demo_of("incidents").study, U_din=230.0, sets=("en50160-lv",))
    study = op.set_equipment(study, ["Zange; serial CL-207; calibrated 2020-12-03; due 2021-12-03"])
    save_study(study, path)
    study = op.set_report(study, facts={"order": "4711", "object": "Total", "date": "2022-05-04"})
    evaluation = Evaluation(study, record_of(study))
    return path, compose(evaluation, run_checks(evaluation))


@pytest.mark.parametrize("code", OTHERS)
def test_no_sentence_of_a_report_stays_english(made, code):
    """Formulas, names of files and the program's own name are no words."""
    left = [text for text in untranslated(replace(made[1], language=code)) if not re.search(r'[(="\[]|\.csv|Pantelos', text)]
    assert left == []


@pytest.mark.parametrize("code", OTHERS)
def test_a_catalogue_says_everything_with_the_places_of_the_english_text(code):
    with (Path(sheets.languages.__file__).parent / f"{code}.po").open("rb") as file:
        entries = [one for one in read_po(file) if one.id]
    assert len(entries) > 250 and all(one.string for one in entries)
    assert [one.id for one in entries if set(re.findall(r"{n?\d}", one.id)) != set(re.findall(r"{n?\d}", one.string))] == []


def test_names_of_the_user_stay_and_numbers_take_the_sign_of_the_language():
    said = Language("de", {"total", "Frequency"})
    assert (
        said.text("total") == "total" and said.text("Frequency") == "Frequency" and said.text("Harmonics") == "Oberschwingungen"
    )
    assert (said.text("230.05 V"), said.text("−0.0019"), said.number("±0.27")) == ("230,05 V", "−0,0019", "±0,27")
    assert said.text("U1 u1   229.81 V") == "U1 u1   229,81 V"
    assert (said.text("≤ 0.5 % ?"), said.text("0.5–1 s")) == ("≤ 0,5 % ?", "0,5–1 s")
    assert said.text("IEC 61000-4-30") == "IEC 61000-4-30" and said.text("Pantelos 0.1.0") == "Pantelos 0.1.0"
    assert said.text("0 s to 3.5 s, 3.5 s, 174.5473 cycles") == "0 s bis 3,5 s, 3,5 s, 174,5473 Perioden"
    assert said.text("order") == "Ordnung" and said.text("order", "fact") == "Auftrag"
    assert said.text("Harmonic 2 of u, Harmonic 3 of u, Magnitude U, always") == (
        "2. Oberschwingung von u, 3. Oberschwingung von u, Spannungshöhe U, immer"
    )
    with pytest.raises(StudyError, match=r'"xx" is no language of reports; there are en, de, fr\.'):
        Language("xx")


@given(st.text(max_size=60))
def test_any_text_passes(text):
    for code in languages():
        assert isinstance(Language(code).text(text), str)
    assert Language("en").text(text) == text


def test_english_is_left_as_it_is_and_a_workbook_keeps_its_numbers(made, tmp_path):
    path, of = made
    assert in_language(of) is of
    arguments = [str(path), "--language", "de", "--fact", "order = 4711"]
    files = {suffix: tmp_path / f"r.{suffix}" for suffix in ("pdf", "html", "xlsx")}
    assert run(["report", *arguments, *(part for file in files.values() for part in ("--to", str(file)))]) in (0, None)
    page = files["html"].read_text(encoding="utf-8")
    assert '<html lang="de">' in page and "Auftrag" in page and "230,05" not in page.split("<style>")[0]
    reader = PdfReader(io.BytesIO(files["pdf"].read_bytes()))
    assert reader.trailer["/Root"]["/Lang"] == "de"
    assert "Nicht angegeben" in page and "Not given" not in page
    assert "Verfahren und Quellen" in "".join(page.extract_text() for page in reader.pages)
    book = openpyxl.load_workbook(files["xlsx"])
    assert "Leistung" in book.sheetnames
    numbers = [cell.value for row in book["Leistung"].iter_rows() for cell in row if isinstance(cell.value, float)]
    assert len(numbers) > 3
    with pytest.raises(StudyError, match="no language"):
        run(["report", str(path), "--language", "xx"])
