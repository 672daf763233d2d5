"""Whether the chains of what powers are made of say how far a phase may be displaced."""

import math
from collections.abc import Iterator

from pantelos.checks.check import Check
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.uncertainty import phase_would_add, phaseless, stated_inputs
from pantelos.errors import PantelosError
from pantelos.notation import with_unit
from pantelos.notice import Notice, Severity
from pantelos.power.wirings import wiring
from pantelos.units import unit

_SUPPOSED = 0.5  # degrees


def phases(evaluation: Evaluation) -> Iterator[Notice]:
    """Say of each alternating connection whose powers have an accuracy what a phase error would add to it."""
    for connection in evaluation.study.connections:
        kind, channels = wiring(connection.wiring), list(connection.sockets.values())
        silent = phaseless(evaluation.study, channels)
        has_powers = kind.alternating and kind.electrical and bool(kind.elements)
        if not silent or not has_powers or stated_inputs(evaluation.study, channels)[1]:
            continue
        try:
            added = phase_would_add(evaluation, connection, None, math.radians(_SUPPOSED))
        except PantelosError:
            continue  # said by others: this connection has no power
        if added > 0:
            yield Notice(
                Severity.NOTE,
                "accuracy.phase",
                f"{connection.name}: ± of P, Q1, PF and φ1 is without phase error",
                f"the chains of {', '.join(silent)} state none, such as phase 0.5 deg; {_SUPPOSED:g}° in each would add "
                f"±{with_unit(added, unit('W'), 2)} to P here",
                connection=connection.name,
            )


CHECK = Check("phases", "Phase errors are stated", phases, place=9)
