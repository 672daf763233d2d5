"""Which kinds of panel fit a study, those first that its connections ask for."""

from pantelos.panels import PANELS
from pantelos.power.wirings import wiring
from pantelos.study.model import Study

_OF_PHASES = ("phasors", "harmonics")  # ask for something that alternates
_OF_A_LEVEL = ("histogram",)  # says more of what does not


def fitting(study: Study) -> list[str]:
    """Return the ids of the kinds that can show something of a study; nothing is computed for it."""
    kinds = [wiring(connection.wiring) for connection in study.connections]
    alternating = any(kind.alternating for kind in kinds)
    level = any(not kind.alternating and kind.electrical for kind in kinds)
    first = [*(_OF_PHASES if alternating else ()), *(("flow",) if len(study.chain) > 1 else ())]
    first += _OF_A_LEVEL if level and not alternating else ()
    first += ["spectrum", *(_OF_A_LEVEL if level else ())]
    without = {"flow", *(_OF_PHASES[:1] if not alternating else ())} | (set(_OF_PHASES) if level and not alternating else set())
    return list(dict.fromkeys([*first, *(kind.id for kind in PANELS if kind.id not in without)]))
