"""The values of one record: what any process, here or elsewhere, does for a campaign."""

import math
import time
from collections.abc import Mapping, Sequence
from pathlib import Path

import msgspec

from pantelos.campaigns.recipe import applied
from pantelos.campaigns.rows import Cell, Row, Task
from pantelos.engine.asking import answer
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError, StudyError
from pantelos.record.record import Record
from pantelos.study.model import Study


def done(task: Task) -> Row:
    """Return the row of a record; whatever is wrong with it is a sentence in the row."""
    began = time.perf_counter()
    try:
        recipe = msgspec.json.decode(task.recipe, type=Study)
        cells, when = values_of(recipe, Path(task.path), task.values, task.aliases)
        sentence = ""
    except PantelosError as error:
        cells, when, sentence = {}, "", str(error)
    except MemoryError:
        cells, when, sentence = {}, "", "There is not enough memory for this record. Give fewer workers at a time."
    return Row(cells, sentence, task.mark, when, time.perf_counter() - began)


def values_of(
    recipe: Study, path: Path, values: Sequence[tuple[str, str]], aliases: Mapping[str, tuple[str, ...]]
) -> tuple[dict[str, Cell], str]:
    """Return the values of a record by a recipe, and when it began.

    Raises
    ------
    PantelosError
        When the record cannot be read as the recipe says, or all values stand in places that are not there.
    """
    study, recordings, lost = applied(recipe, path, aliases)
    record = recordings.record(study.record)
    found = {name: _cell(study, record, expression, lost) for name, expression in values}
    if found and lost and all(cell.value is None for cell in found.values()):
        raise StudyError(next(iter(lost.values())))
    return found, record.began.text(3) if record.began is not None else ""


def _cell(study: Study, record: Record, expression: str, lost: Mapping[str, str]) -> Cell:
    """Return one value with its ±, as the command `value` gives it."""
    try:
        found = answer(Evaluation(study, record), expression)
    except PantelosError as error:
        gone = next((why for place, why in lost.items() if place in expression), None)
        said = str(error).removeprefix(f'Formula "{expression}", ').removeprefix(f'Formula "{expression}": ')
        return Cell(None, "", None, gone if gone is not None else said)
    if found.why_not:
        return Cell(None, found.unit, None, found.why_not)
    return Cell(found.value, found.unit, found.expanded if math.isfinite(found.expanded) else None, found.remark)
