"""Which conductor a channel belongs to, and what it measures: the two things its look says."""

import re
from enum import StrEnum

from pantelos.errors import FormulaError
from pantelos.formula.uses import names_used
from pantelos.study.model import Study
from pantelos.study.wired import conductor_of
from pantelos.units import Unit, unit

_ENDINGS = {"1": "L1", "2": "L2", "3": "L3", "U": "L1", "V": "L2", "W": "L3", "a": "L1", "b": "L2", "c": "L3", "N": "N", "n": "N"}


class Weight(StrEnum):
    """How a quantity is drawn."""

    THIN = "thin"  # voltage
    HEAVY = "heavy"  # current
    AREA = "area"  # power
    PLAIN = "plain"


APART = ("apart 1", "apart 2", "apart 3", "apart 4", "apart 5", "apart 6")  # hues of channels without a conductor


def conductor(study: Study, name: str) -> str:
    """Return the conductor whose hue a channel carries: by its wiring, else by what it is made of, else by its name.

    Several without one in a lane get hues that tell them apart; one alone has none.
    """
    global _kept  # noqa: PLW0603 - asked at every repaint, for every channel
    known = next((hues for of, hues in _kept if of is study), None)
    if known is None:
        known = {}
        _kept = ((study, known), *_kept[:1])
    if name not in known:
        known[name] = _of_conductor(study, name)
        lane = next((lane.channels for lane in study.lanes if name in lane.channels), ())
        nameless = [other for other in lane if not _of_conductor(study, other)] if not known[name] and len(lane) > 1 else []
        if len(nameless) > 1:
            known |= {other: APART[at % len(APART)] for at, other in enumerate(nameless)}
    return known[name]


_kept: tuple[tuple[Study, dict[str, str]], ...] = ()  # of the studies asked for last


def _of_conductor(study: Study, name: str) -> str:
    wired = conductor_of(study, name)
    if wired:
        return wired
    formula = study.formula(name)
    if formula is not None:
        try:
            used = {
                _of_conductor(study, other) for other in names_used(formula.expression) if other != name and other in study.names
            }
        except FormulaError:
            return ""
        return used.pop() if len(used) == 1 else ""
    if re.search(r"(?i)dc", name):
        return "DC"
    setup = study.channel(name)
    _, _, shown = setup.scaling.resolve(unit(setup.recorder_unit))
    if shown.like(unit("rpm")) or shown.like(unit("N*m")):
        return "shaft"
    return _ENDINGS.get(name[-1], "") if re.match(r"(?i)[ui]", name) else ""


def weight(shown: Unit) -> Weight:
    """Return how a quantity of that unit is drawn."""
    for symbol, look in (("V", Weight.THIN), ("A", Weight.HEAVY), ("W", Weight.AREA)):
        if shown.like(unit(symbol)):
            return look
    return Weight.PLAIN
