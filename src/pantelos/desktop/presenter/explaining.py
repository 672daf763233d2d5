"""How a number was computed, in a few lines."""

from pantelos.notation import with_unit
from pantelos.reading.kinds import reading_kind
from pantelos.study.evaluation import Evaluation


def explanation(evaluation: Evaluation, channel: str, reading: str) -> str:
    """Return value, formula, place and method of a reading of the active interval."""
    kind = reading_kind(reading)
    assert kind is not None
    found = evaluation.reading(kind, [channel])
    value = with_unit(found.value, found.unit, 8)
    where = f'in "{evaluation.interval_name(None)}", {found.place(evaluation.record.rate_hz)}'
    formula = evaluation.study.formula(channel)
    source = f"; {formula.text}" if formula is not None else ""
    covered = "" if found.coverage >= 1 else f"; {100 * found.coverage:.3g} % of the samples valid"
    return f"{kind.name}({channel}) = {value} {where}{source}. {kind.title}: {found.method}{covered}."
