"""SENSe:SWEep, TRIGger, INITiate, ABORt: how much is recorded, and when. Source: SCPI-1999 volume 2, 18.17, 24, 9 and 2."""

from collections.abc import Sequence

from pantelos.scpi.message import MessageError, as_word
from pantelos.scpi.tree import Tree
from pantelos.simulator.commands.entries import Amount, EntryWord, Flag, Kind, add_setting, one
from pantelos.simulator.core import Core
from pantelos.simulator.settings import InstrumentSettings

_FASTEST_HZ, _SLOWEST_HZ = 1e6, 1.0
_MOST_POINTS, _MOST_BEFORE, _MOST_SHOTS = float(1 << 40), float(1 << 24), 1e6
_HOUR_S, _WIDEST_V = 3600.0, 100.0


def enter(tree: Tree, core: Core) -> None:
    """Add the commands."""

    def put(field: str, value: object) -> None:
        core.refuse_while_recording()
        setattr(core.settings, field, value)

    def add(header: str, kind: Kind, field: str) -> None:
        add_setting(tree, header, kind, lambda _: getattr(core.settings, field), lambda _, value: put(field, value))

    usual = InstrumentSettings([], [])
    add_setting(
        tree, "[SENSe:]SWEep:TINTerval", Amount("S", 1 / _FASTEST_HZ, 1 / _SLOWEST_HZ, usual=1 / usual.rate_hz),
        lambda _: 1 / core.settings.rate_hz, lambda _, value: put("rate_hz", _rate_for(1 / float(str(value)))),
    )  # fmt: skip
    add("[SENSe:]SWEep:POINts", Amount("", 0, _MOST_POINTS, usual=usual.points, whole=True), "points")
    add("[SENSe:]SWEep:OFFSet:POINts", Amount("", -_MOST_BEFORE, 0, whole=True), "offset_points")
    add("[SENSe:]SWEep:GATE[:STATe]", Flag(), "gate")
    add("[SENSe:]SWEep:GATE:INPut", Amount("", 1, len(core.settings.inputs), usual=1, whole=True), "gate_input")
    add("[SENSe:]SWEep:GATE:LEVel", Amount("V", -_WIDEST_V, _WIDEST_V), "gate_level")
    add("TRIGger[:SEQuence]:SLOPe", EntryWord(("POSitive", "NEGative", "EITHer")), "slope")
    add("TRIGger[:SEQuence]:LEVel", Amount("V", -_WIDEST_V, _WIDEST_V), "level")
    add("TRIGger[:SEQuence]:HYSTeresis", Amount("V", 0.0, _WIDEST_V), "hysteresis")
    add("TRIGger[:SEQuence]:HOLDoff", Amount("S", 0.0, _HOUR_S), "hold_off_s")
    add("TRIGger[:SEQuence]:DELay", Amount("S", 0.0, _HOUR_S), "delay_s")
    add("TRIGger[:SEQuence]:COUNt", Amount("", 0, _MOST_SHOTS, usual=usual.count, whole=True), "count")
    add("TRIGger[:SEQuence]:ATRigger[:STATe]", Flag(), "alone")
    add("TRIGger[:SEQuence]:ATRigger:TIME", Amount("S", 0.0, _HOUR_S, usual=usual.alone_after_s), "alone_after_s")

    def set_source(_: tuple[int, ...], given: Sequence[str]) -> None:
        text = one(given).upper()
        number = text.removeprefix("INTERNAL").removeprefix("INT")
        if number != text and number.isdigit():
            put("source_input", core.input(int(number)) + 1)
            put("source", "EDGE")
        else:
            put("source", as_word(text, ("IMMediate", "EXTernal", "BUS")))

    def source() -> str:
        of = core.settings
        return f"INT{of.source_input}" if of.source == "EDGE" else of.source[:3].upper()

    def missed() -> str:
        return str(core.acquisition.missed if core.acquisition is not None else 0)

    tree.add("TRIGger[:SEQuence]:SOURce", set_source, takes=1)
    tree.add("TRIGger[:SEQuence]:SOURce", lambda *_: source(), query=True)
    tree.add("TRIGger[:SEQuence]:MISSed", lambda *_: missed(), query=True)
    tree.add("INITiate[:IMMediate]", lambda *_: core.begin())
    tree.add("ABORt", lambda *_: core.stop())
    tree.add("*TRG", lambda *_: _trigger(core))


def _trigger(core: Core) -> None:
    if core.acquisition is None or not core.acquisition.running:
        raise MessageError(-211, "Trigger ignored")
    core.acquisition.trigger()


def _rate_for(rate_hz: float) -> float:
    """Return the nearest rate that divides the clock of the converters."""
    return _FASTEST_HZ / max(round(_FASTEST_HZ / rate_hz), 1)
