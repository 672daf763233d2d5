"""OUTPut and SOURce: the signal source. Source: SCPI-1999 volume 2, 15 and 19."""

from collections.abc import Callable, Sequence

import msgspec

from pantelos.recorder.signals import LONGEST_PLAYED, SHAPES, Signal, SignalTone
from pantelos.scpi.message import MessageError, as_number
from pantelos.scpi.tree import Tree
from pantelos.simulator.commands.entries import Amount, EntryWord, Flag, Kind, add_setting
from pantelos.simulator.core import Core

_FASTEST_HZ, _WIDEST_V = 5e5, 100.0
_OF_TONE, _OF_SWEEP = 3, 3


def enter(tree: Tree, core: Core) -> None:
    """Add the commands."""

    def change(numbers: tuple[int, ...], field: str, value: object) -> None:
        core.refuse_while_recording()
        at = core.input(numbers[0])
        core.settings.outputs[at] = msgspec.structs.replace(core.settings.outputs[at], **{field: value})

    def add(header: str, kind: Kind, field: str) -> None:
        add_setting(
            tree, header, kind, lambda n: getattr(core.settings.outputs[core.input(n[0])], field),
            lambda n, value: change(n, field, value),
        )  # fmt: skip

    def add_list(header: str, field: str, of: Callable[[Sequence[str]], object]) -> None:
        tree.add(header, lambda numbers, given: change(numbers, field, of(given)), takes=LONGEST_PLAYED)

    add("OUTPut#[:STATe]", Flag(), "on")
    usual = Signal()
    mnemonics = {mnemonic: word for word, mnemonic in SHAPES.items()}
    add_setting(
        tree,
        "[SOURce#:]FUNCtion[:SHAPe]",
        EntryWord(tuple(mnemonics)),
        lambda n: SHAPES[core.settings.outputs[core.input(n[0])].shape],
        lambda n, value: change(n, "shape", mnemonics[str(value)]),
    )
    add("[SOURce#:]FREQuency[:CW]", Amount("HZ", 0.0, _FASTEST_HZ, usual=usual.frequency_hz), "frequency_hz")
    add("[SOURce#:]VOLTage[:LEVel][:IMMediate][:AMPLitude]", Amount("V", 0.0, _WIDEST_V, usual=usual.amplitude), "amplitude")
    add("[SOURce#:]VOLTage[:LEVel][:IMMediate]:OFFSet", Amount("V", -_WIDEST_V, _WIDEST_V), "offset")
    add("[SOURce#:]PHASe[:ADJust]", Amount("DEG", -360.0, 360.0), "phase_deg")
    add("[SOURce#:]PULSe:DCYCle", Amount("PCT", 0.0, 100.0, 0.01, 100 * usual.duty), "duty")
    add("[SOURce#:]NOISe", Amount("V", 0.0, _WIDEST_V), "noise")
    add("[SOURce#:]USER:RATE", Amount("HZ", 1.0, 2 * _FASTEST_HZ, usual=usual.played_rate_hz), "played_rate_hz")
    add_list("[SOURce#:]SWEep", "sweep", _sweep)
    add_list("[SOURce#:]TONes", "tones", _tones)
    add_list("[SOURce#:]USER[:DATA]", "played", lambda given: tuple(as_number(text, "V") for text in given))

    def set_loop(value: object) -> None:
        core.refuse_while_recording()
        core.settings.loop = bool(value)

    add_setting(tree, "ROUTe:LOOP", Flag(), lambda _: core.settings.loop, lambda _, value: set_loop(value))


def _sweep(given: Sequence[str]) -> tuple[float, float, float]:
    if len(given) != _OF_SWEEP:
        raise MessageError(-109, "Missing parameter; from, to, time")
    low, high = (as_number(text, "HZ") for text in given[:2])
    return low, high, max(as_number(given[2], "S"), 1e-6)


def _tones(given: Sequence[str]) -> tuple[SignalTone, ...]:
    if len(given) % _OF_TONE:
        raise MessageError(-109, "Missing parameter; frequency, amplitude, phase of each tone")
    units = ("HZ", "V", "DEG") * (len(given) // _OF_TONE)
    values = [as_number(text, unit) for text, unit in zip(given, units, strict=True)]
    return tuple(SignalTone(*values[k : k + _OF_TONE]) for k in range(0, len(values), _OF_TONE))
