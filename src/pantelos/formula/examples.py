"""Examples that run on the record at hand: the names in them replaced by channels that measure the same."""

from collections.abc import Collection

from pantelos.formula.compiled import Kind, Types
from pantelos.formula.functions.function import Function
from pantelos.formula.printing import rewritten
from pantelos.formula.uses import events_used, names_used, with_events_changed
from pantelos.units import unit

# What a name in an example stands for, by its first letter; the longest that fits counts.
_MEASURES = {"u": "V", "i": "A", "p": "W", "g": "V", "n": "rpm", "M": "N*m", "f": "Hz", "e": "J"}


def example_on(function: Function, types: Types, searches: Collection[str] = ()) -> str | None:
    """Return the example of a function with channels of a study in it; None where the study has none that fit."""
    return adapted(function.example, types, searches)


def adapted(text: str, types: Types, searches: Collection[str] = ()) -> str | None:
    """Return a formula whose names stand for channels of a study: those of its own name, else of the same first letter and unit.

    Different names become different channels as long as there are enough.
    """
    chosen: dict[str, str] = {}
    for name in sorted(names_used(text)):
        fitting = _fitting(name, types)
        if not fitting:
            return None
        chosen[name] = next((one for one in fitting if one not in chosen.values()), fitting[0])
    for name in events_used(text):
        if not searches:
            return None
        text = with_events_changed(text, name, next(iter(searches)))
    return rewritten(text, chosen)


def _fitting(name: str, types: Types) -> list[str]:
    """Return the channels that may stand where an example has a name, the likeliest first."""
    if name in types:
        return [name]
    wanted = unit(_MEASURES[name[0]]) if name[0] in _MEASURES else None
    found = [one for one, (kind, shown) in types.items() if kind is not Kind.SCALAR and (wanted is None or shown.like(wanted))]
    signals = [one for one in found if types[one][0] is Kind.SIGNAL] or found
    return sorted(signals, key=lambda one: one[0] != name[0])
