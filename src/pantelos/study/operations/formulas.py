"""Formulas: added, replaced, removed; never in a circle."""

from msgspec.structs import replace

from pantelos.errors import FormulaError, StudyError
from pantelos.formula.syntax import parse
from pantelos.formula.uses import names_used
from pantelos.study.dependence import rests_on_readings, ways_to
from pantelos.study.model import Formula, Study
from pantelos.study.operations.arranging import without_channel
from pantelos.study.operations.naming import checked_name


def set_formula(study: Study, text: str) -> Study:
    """Return the study with a formula `name = expression` added, or replaced where the name exists.

    Raises
    ------
    FormulaError
        When it cannot be read, or refers to itself over any number of steps.
    StudyError
        When the name is that of a recorded channel or a word of the language.
    """
    name, _ = parse(text)
    if name is None:
        raise FormulaError(text, 0, len(text), "give the result a name, as in p1 = u1 * i1.")
    known = study.formula(name)
    checked_name(study, name, but=name if known is not None else "")
    new = Formula(name, text.partition("=")[2].strip())
    formulas = tuple(new if f is known else f for f in study.formulas) if known else (*study.formulas, new)
    changed = replace(study, formulas=formulas)
    _check_no_circle(changed, text, name)
    if changed.reference is not None and rests_on_readings(changed, changed.reference):
        circle = f"the reference channel {changed.reference} would rest on readings, which need its own cycles"
        raise FormulaError(text, 0, len(name), f"{circle}. Choose another reference first.")
    return changed


def _check_no_circle(study: Study, text: str, name: str) -> None:
    ways = ways_to(study, name)
    for last in ways:
        formula = study.formula(last)
        if formula is not None and name in names_used(formula.expression):
            path = [last]
            while path[-1] != name:
                path.append(ways[path[-1]])
            raise FormulaError(
                text, 0, len(name), f"this refers to itself: {' → '.join([*path[::-1], name])}. Take one reference out."
            )


def switch_formula(study: Study, name: str, on: bool) -> Study:
    """Return the study with a formula computed, or left as it is written and not computed."""
    found = _formula(study, name)
    return replace(study, formulas=tuple(replace(f, on=on) if f is found else f for f in study.formulas))


def move_formula(study: Study, name: str, by: int) -> Study:
    """Return the study with a formula so many places further down its list, or up; at an end it stays."""
    rest = [formula for formula in study.formulas if formula.name != name]
    at = study.formulas.index(_formula(study, name))
    rest.insert(min(max(at + by, 0), len(rest)), study.formulas[at])
    return replace(study, formulas=tuple(rest))


def users_of(study: Study, name: str) -> tuple[str, ...]:
    """Return the formulas that use a channel or formula."""
    return tuple(formula.name for formula in study.formulas if name in names_used(formula.expression))


def _formula(study: Study, name: str) -> Formula:
    found = study.formula(name)
    if found is None:
        raise StudyError(f'There is no formula "{name}".')
    return found


def remove_formula(study: Study, name: str) -> Study:
    """Return the study without a formula; refused while others use it."""
    users = users_of(study, name)
    if users:
        raise StudyError(f'"{name}" is used by {", ".join(users)}. Change or remove those first.')
    gone = {search.name for search in study.searches if search.channel == name}
    return replace(
        study,
        formulas=tuple(f for f in study.formulas if f.name != name),
        lanes=without_channel(study.lanes, name),
        panels=tuple(panel for panel in study.panels if name not in panel.channels and panel.search not in gone),
        searches=tuple(search for search in study.searches if search.channel != name),
        looks={other: look for other, look in study.looks.items() if other != name},
        intervals=tuple(replace(i, rides=tuple(None if rider == name else rider for rider in i.rides)) for i in study.intervals),
        connections=tuple(
            replace(
                c,
                sockets={s: ch for s, ch in c.sockets.items() if ch != name},
                reference=None if c.reference == name else c.reference,
            )
            for c in study.connections
        ),
        reference=None if study.reference == name else study.reference,
    )
