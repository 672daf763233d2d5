"""FETCh and FORMat: rows and shots. Blocks of rows, and what frees them, are ours: docs/recorder-protocol.md."""

import struct
import time
from collections.abc import Sequence

import numpy as np

from pantelos.scpi.message import MessageError, as_number, as_word
from pantelos.scpi.response import block
from pantelos.scpi.tree import Tree
from pantelos.simulator.acquisition import Acquisition
from pantelos.simulator.commands.entries import one
from pantelos.simulator.core import Core, Dropped, Raw

HEAD = struct.Struct(
    "<QQQIIHH"
)  # first row, rows so far, rows lost before it, number of the recording, rows here, columns, flags
RUNNING, WAITING = 1, 2
_MOST_ROWS = 1 << 20  # of a block
_WAIT_S = 0.05  # that a query for rows may take
_LATE_S = 1.5


def enter(tree: Tree, core: Core) -> None:
    """Add the commands."""
    tree.add("FETCh:BLOCk", lambda _, given: _block(core, given), query=True, takes=2)
    tree.add("FETCh:COUNt", lambda *_: _counts(_recording(core)), query=True)
    tree.add("FETCh:NUMBer", lambda *_: str(core.n_recordings), query=True)
    tree.add("FETCh:ROOM", lambda *_: str(_room(core)), query=True)
    tree.add("FETCh:SHOTs", lambda _, given: _shots(_recording(core), given), query=True, takes=1)
    tree.add("FORMat[:DATA]", lambda _, given: _format(given), takes=2)
    tree.add("FORMat[:DATA]", lambda *_: "INT,16", query=True)
    tree.add("FORMat:BORDer", lambda _, given: _border(given), takes=1)
    tree.add("FORMat:BORDer", lambda *_: "SWAP", query=True)


def _recording(core: Core) -> Acquisition:
    if core.acquisition is None:
        raise MessageError(-230, "Data corrupt or stale; nothing was recorded")
    return core.acquisition


def _room(core: Core) -> int:
    """Return how many rows are kept until they are fetched."""
    n_columns = sum(one.on for one in core.settings.inputs)
    return core.settings.flaws.memory // (2 * max(n_columns, 1))


def _counts(of: Acquisition) -> str:
    state = "WAIT" if of.running and of.waiting else "RUN" if of.running else "END"
    return f"{of.n_kept},{len(of.shots)},{of.missed},{state}"


def _shots(of: Acquisition, given: Sequence[str]) -> str:
    some = of.shots[max(round(as_number(given[0])), 0) if given else 0 :]
    told = (f"{shot.first},{shot.start},{shot.at_s:.9f},{int(shot.alone)}" for shot in some)
    return ",".join([str(len(some)), *told])


def _format(given: Sequence[str]) -> None:
    as_word(given[0] if given else "", ("INTeger",))
    if [text.strip() for text in given[1:]] not in ([], ["16"]):
        raise MessageError(-224, "Illegal parameter value; integers of 16 bits are all there is")


def _border(given: Sequence[str]) -> None:
    as_word(one(given), ("SWAPped",))  # least significant byte first: all there is


def _block(core: Core, given: Sequence[str]) -> bytes | Raw:
    """Return rows as a block; where a fault is due, what that makes of it."""
    if len(given) != 2:
        raise MessageError(-109, "Missing parameter; the first row, and how many at most")
    first, most = (round(as_number(text)) for text in given)
    of, fault = _recording(core), core.faults.due()
    if fault == "OVERrun":
        of.overrun_wanted.set()
    if fault == "ERRor":
        core.status.fail(-310, "System error; ordered")
    begin, lost, rows = of.fetch(first, min(max(most, 1), _MOST_ROWS), _WAIT_S)
    flags = (RUNNING if of.running else 0) | (WAITING if of.waiting else 0)
    head = HEAD.pack(begin, of.n_kept, lost, core.n_recordings, len(rows), rows.shape[1], flags)
    content = head + np.ascontiguousarray(rows).tobytes()
    whole = block(content)
    match fault:
        case "DROP":
            raise Dropped(whole[: len(whole) // 2])
        case "LATE":
            time.sleep(_LATE_S)
        case "LENGth":
            return Raw(block(content + bytes(64))[: len(whole)] + b"\n")
        case "HUGE":
            return Raw(b"#9999999999" + content)
        case "GARBage":
            return Raw(bytes(range(200, 240)) + b"\n")
    return whole
