"""INPut and SENSe: what each input does. Source: SCPI-1999 volume 2, 11 and 18."""

import msgspec
import numpy as np

from pantelos.scpi.message import as_word
from pantelos.scpi.response import number, quoted
from pantelos.scpi.tree import Tree
from pantelos.simulator.commands.entries import Amount, EntryWord, Flag, Kind, add_setting, one
from pantelos.simulator.converter import RANGES_V, InputSettings
from pantelos.simulator.core import Core

_PROBED_S = 0.5  # that a measuring range looks at
_ROOM = 0.9  # of a range that is used at most


def enter(tree: Tree, core: Core) -> None:
    """Add the commands."""

    def of(numbers: tuple[int, ...]) -> InputSettings:
        return core.settings.inputs[core.input(numbers[0])]

    def change(numbers: tuple[int, ...], field: str, value: object) -> None:
        core.refuse_while_recording()
        at = core.input(numbers[0])
        core.settings.inputs[at] = msgspec.structs.replace(core.settings.inputs[at], **{field: value})

    def add(header: str, kind: Kind, field: str) -> None:
        add_setting(tree, header, kind, lambda n: getattr(of(n), field), lambda n, value: change(n, field, value))

    add("INPut#[:STATe]", Flag(), "on")
    add("INPut#:COUPling", EntryWord(("AC", "DC")), "coupling")
    add("INPut#:TYPE", EntryWord(("BALanced", "UNBalanced")), "type")
    add_setting(
        tree, "[SENSe#:]VOLTage[:DC]:RANGe[:UPPer]", Amount("V", 0.0, RANGES_V[-1], usual=InputSettings().range_v),
        lambda n: of(n).range_v, lambda n, value: change(n, "range_v", _range_for(float(str(value)))),
    )  # fmt: skip
    tree.add("INPut:COUNt", lambda *_: str(len(core.settings.inputs)), query=True)
    tree.add("INPut#:NAME", lambda n, _: quoted(core.name(core.input(n[0]))), query=True)
    tree.add("[SENSe#:]VOLTage[:DC]:RANGe:CATalog", lambda *_: ",".join(number(x) for x in RANGES_V), query=True)
    tree.add("[SENSe#:]VOLTage[:DC]:STEP", lambda n, _: number(of(n).step_v), query=True)

    def measure(numbers: tuple[int, ...], text: str) -> None:
        if as_word(text, ("ONCE", "OFF")) == "ONCE":
            change(numbers, "range_v", _range_for(_peak(core, core.input(numbers[0])) / _ROOM))

    tree.add("[SENSe#:]VOLTage[:DC]:RANGe:AUTO", lambda numbers, given: measure(numbers, one(given)), takes=1)


def _peak(core: Core, at: int) -> float:
    """Return the largest voltage that an input sees for a while, through its widest range."""
    core.refuse_while_recording()
    of = core.settings
    widest = [msgspec.structs.replace(known, on=k == at, range_v=RANGES_V[-1]) for k, known in enumerate(of.inputs)]
    n = max(round(_PROBED_S * of.rate_hz), 2)
    seen = core.feed(widest, n)().rows(0, n)
    return float(np.abs(seen.astype(np.int32)).max()) * widest[at].step_v


def _range_for(volts: float) -> float:
    """Return the smallest range that holds so many volts."""
    return next((known for known in RANGES_V if abs(volts) <= known * (1 + 1e-9)), RANGES_V[-1])
