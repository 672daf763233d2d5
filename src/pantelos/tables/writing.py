"""A hand-over written to a file, of the kind its suffix says."""

from collections.abc import Callable
from pathlib import Path

from msgspec.structs import replace

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.saving import write_whole
from pantelos.sheets.blocks import Composition
from pantelos.sheets.languages import in_language
from pantelos.tables.kinds.quality_values import trends_of

_JUDGED = "quality"  # the sheet that values over time stand behind


def _html(of: Composition, evaluation: Evaluation | None) -> bytes:
    from pantelos.sheets.html import html  # here and below, for the sake of a quick start

    return html(of)


def _pdf(of: Composition, evaluation: Evaluation | None) -> bytes:
    from pantelos.sheets.pdf import pdf

    return pdf(of)


def _xlsx(of: Composition, evaluation: Evaluation | None) -> bytes:
    from pantelos.sheets.workbook import report_workbook

    judged = any(sheet.id == _JUDGED for sheet in of.sheets)
    return report_workbook(of, trends_of(evaluation) if judged and evaluation is not None else None)


WRITTEN: dict[str, Callable[[Composition, Evaluation | None], bytes]] = {".html": _html, ".pdf": _pdf, ".xlsx": _xlsx}
_WRITES_NUMBERS = (".xlsx",)  # whose reader shows them as its own country does


def write_report(of: Composition, evaluation: Evaluation | None, path: Path) -> None:
    """Write a hand-over; `evaluation` gives the values over time behind a quality sheet, where there is one.

    Raises
    ------
    StudyError
        When the suffix is of no known kind, or there is nothing to write.
    FileAccessError
        When it cannot be written; what was there before is untouched.
    """
    write = WRITTEN.get(path.suffix.lower())
    if write is None:
        raise StudyError(f'{path.name}: a report is not written as "{path.suffix}"; choose one of {", ".join(WRITTEN)}.')
    if not of.sheets:
        raise StudyError("No sheet of the report can be filled: " + "; ".join(why for _, why in of.not_given))
    not_given = tuple((title, without_commands(why)) for title, why in of.not_given)
    said = in_language(replace(of, not_given=not_given), numbers=path.suffix.lower() not in _WRITES_NUMBERS)
    write_whole(path, write(said, evaluation))


def without_commands(text: str) -> str:
    """Return why something is not given without the sentences that speak of commands."""
    sentences = text.split(". ")
    kept = [sentence for sentence in sentences if "--" not in sentence] or sentences[:1]
    return ". ".join(kept).rstrip(".") + "."
