"""What the channels and formulas of a study rest on."""

from pantelos.formula.uses import names_used, readings_taken
from pantelos.study.model import Study


def rests_on_readings(study: Study, name: str) -> bool:
    """Return whether a channel takes readings over intervals, itself or through what it uses; then it cannot be the reference."""
    behind = (study.formula(one) for one in ways_to(study, name))
    return any(readings_taken(formula.expression) for formula in behind if formula)


def ways_to(study: Study, name: str) -> dict[str, str]:
    """Return every channel and formula behind a name, itself included, each with the one that uses it."""
    found, waiting = {name: ""}, [name]
    while waiting:
        at = waiting.pop()
        formula = study.formula(at)
        for used in sorted(names_used(formula.expression)) if formula is not None else ():
            if used not in found:
                found[used] = at
                waiting.append(used)
    return found
