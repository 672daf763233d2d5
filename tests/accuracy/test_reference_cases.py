"""Every reference case of power, spectra and harmonics within its tolerance, and the page that lists them complete."""

from pathlib import Path

from reference_cases import cases

PAGE = Path(__file__).parents[2] / "docs" / "accuracy.md"


def test_every_reference_case_holds_and_is_listed():
    found = cases()
    assert [(case.id, case.what, case.computed) for case in found if not case.holds] == []
    page = PAGE.read_text()
    assert [case.id for case in found if f"| RC-{case.id} | {case.what} | {case.expected:.13g} |" not in page] == []
    assert len({case.id for case in found}) == len(found) > 100
