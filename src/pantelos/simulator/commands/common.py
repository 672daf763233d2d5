"""Common commands, and what only a simulated recorder has: scenes, flaws, faults. Source: IEEE 488.2, 10."""

import threading
import time
from collections.abc import Sequence

import msgspec

from pantelos.scpi.message import MessageError, as_number, as_string, as_word
from pantelos.scpi.response import quoted
from pantelos.scpi.status import OPERATION_COMPLETE
from pantelos.scpi.tree import Tree
from pantelos.simulator.commands.entries import Amount, add_setting, one
from pantelos.simulator.converter import LARGEST_CLOCK_PPM, Flaws
from pantelos.simulator.core import GIVEN_UP, Core
from pantelos.simulator.faults import FAULTS
from pantelos.simulator.scenes import SCENES
from pantelos.version import __version__

_POLL_S = 0.002
# Of each flaw: its field, its unit, and how large it may be, either way.
_FLAWS = {"NOISe": ("noise_v", "V", 100.0), "OFFSet": ("offset_v", "V", 100.0), "CLOCk": ("clock_ppm", "", LARGEST_CLOCK_PPM)}


def enter(tree: Tree, core: Core) -> None:
    """Add the commands."""
    core.status.enter(tree)
    tree.add("*IDN", lambda *_: f"Pantelos,Simulated recorder,0,{__version__}", query=True)
    tree.add("*RST", lambda *_: core.reset())
    tree.add("*TST", lambda *_: "0", query=True)
    tree.add("*WAI", lambda *_: _wait(core))
    tree.add("*OPC", lambda *_: _when_done(core))
    tree.add("*OPC", lambda *_: _done(core), query=True)
    tree.add("SYSTem:VERSion", lambda *_: "1999.0", query=True)
    tree.add("SIMulator:SCENe", lambda _, given: _set_scene(core, given), takes=1)
    tree.add("SIMulator:SCENe", lambda *_: quoted(core.scene.id), query=True)
    tree.add("SIMulator:SCENe:CATalog", lambda *_: ",".join(quoted(name) for name in SCENES.names), query=True)
    tree.add("SIMulator:FAULt", lambda _, given: _order_fault(core, given), takes=2)
    for name, (field, unit, most) in _FLAWS.items():
        _add_flaw(tree, core, f"SIMulator:{name}", field, unit, most)


def _add_flaw(tree: Tree, core: Core, header: str, field: str, unit: str, most: float) -> None:
    def put(value: object) -> None:
        core.refuse_while_recording()
        core.settings.flaws = msgspec.structs.replace(core.settings.flaws, **{field: value})

    kind = Amount(unit, 0.0 if field == "noise_v" else -most, most, usual=getattr(Flaws(), field))
    add_setting(tree, header, kind, lambda _: getattr(core.settings.flaws, field), lambda _, value: put(value))


def _wait(core: Core) -> None:
    """Wait for the end of a recording, or until whoever waits is gone: one without an end ends by ABORt from elsewhere."""
    of = core.acquisition
    given_up = GIVEN_UP.get()
    while of is not None and of.running and not given_up():
        time.sleep(_POLL_S)


def _done(core: Core) -> str:
    _wait(core)
    return "1"


def _when_done(core: Core) -> None:
    def watch() -> None:
        _wait(core)
        core.status.event_status |= OPERATION_COMPLETE

    threading.Thread(target=watch, daemon=True).start()


def _set_scene(core: Core, given: Sequence[str]) -> None:
    core.refuse_while_recording()
    name = as_string(one(given))
    if name not in SCENES.names:
        raise MessageError(-224, "Illegal parameter value; no such scene")
    core.scene = SCENES[name]


def _order_fault(core: Core, given: Sequence[str]) -> None:
    if not given:
        raise MessageError(-109, "Missing parameter; the fault, and behind how many blocks")
    core.faults.order(as_word(given[0], FAULTS), round(as_number(given[1])) if len(given) > 1 else 0)
