"""Ready-made groups of formulas: plain text in the end, which the user reads and changes like any other."""

from collections.abc import Mapping, Sequence

import msgspec

from pantelos.errors import StudyError
from pantelos.formula.compiled import Kind, Types
from pantelos.formula.printing import rewritten
from pantelos.formula.syntax import parse
from pantelos.power.wirings import wiring
from pantelos.registry import Registry
from pantelos.study.model import Study
from pantelos.study.operations.formulas import set_formula
from pantelos.units import unit


class AskedOperand(msgspec.Struct, frozen=True):
    """A channel that a group asks for: the name that stands for it in the formulas, what it is, and what it measures."""

    name: str
    what: str
    unit: str


class FormulaGroup(msgspec.Struct, frozen=True):
    """One entry: what it is for, the channels it asks for, and the formulas it inserts."""

    id: str
    title: str
    help: str
    asks: tuple[AskedOperand, ...]
    formulas: tuple[str, ...]


_U, _I = AskedOperand("u", "voltage", "V"), AskedOperand("i", "current", "A")
_THREE = tuple(
    AskedOperand(f"{letter}{k}", f"{what} {k}", symbol)
    for k in (1, 2, 3)
    for letter, what, symbol in (("u", "voltage", "V"), ("i", "current", "A"))
)
GROUPS = Registry(
    "group of formulas",
    lambda group: group.id,
    (
        FormulaGroup(
            "power-1",
            "Power of one phase",
            "Instantaneous power, active, apparent and reactive power per cycle, power factor",
            (_U, _I),
            (
                "p = u * i",
                "P = active(u, i) over cycles(u)",
                "S = apparent(u, i) over cycles(u)",
                "Q = reactive(u, i) over cycles(u)",
                "PF = P / S",
            ),
        ),
        FormulaGroup(
            "power-3",
            "Power of three phases",
            "Power of each phase and of all together, and its energy",
            _THREE,
            (
                "p1 = u1 * i1",
                "p2 = u2 * i2",
                "p3 = u3 * i3",
                "p_all = p1 + p2 + p3",
                "e_all = integral(p_all)",
                "P_all = mean(p_all) over cycles(u1)",
            ),
        ),
        FormulaGroup(
            "resistance",
            "Resistance",
            "Of every sample with current enough, and of each cycle or block",
            (_U, _I),
            (
                'r = u / i where abs(i) > 0.1 * max(i) in "whole record"',
                "R = resistance(u, i)",
                "R_offset = resistance_with_offset(u, i)",
            ),
        ),
        FormulaGroup(
            "cycles",
            "Rms and frequency per cycle",
            "One value per cycle of a channel",
            (AskedOperand("u", "channel that alternates", ""),),
            ("X = rms(u) over cycles(u)", "f = frequency(u) over cycles(u)"),
        ),
        FormulaGroup(
            "pwm",
            "Pulse width modulation",
            "Duty, carrier and mean of a switched voltage, pulse by pulse",
            (AskedOperand("g", "gate or switched voltage", "V"),),
            ("D = duty(g) over pulses(g)", "f_c = carrier(g) over pulses(g)", "U_mean = mean(g) over pulses(g)"),
        ),
        FormulaGroup(
            "energy",
            "Energy received and returned",
            "Running energy of both directions, and the net of both",
            (AskedOperand("p", "power", "W"),),
            ("e_in = received(p) to Wh", "e_out = returned(p) to Wh", "e_net = integral(p) to Wh"),
        ),
    ),
)


def proposed(group: FormulaGroup, study: Study, types: Types) -> dict[str, str]:
    """Return a channel for each that a group asks for: by where they are wired, else by unit; each once while enough."""
    wired = {name: spot for c in study.connections for name, spot in _spots(study, c.name)}
    chosen: dict[str, str] = {}
    for asked in group.asks:
        fitting = fitting_channels(asked, types)
        phase = asked.name[1:] or "1"
        best = sorted(
            fitting, key=lambda name: (name in chosen.values(), wired.get(name, "9") != phase, name[:1] != asked.name[0])
        )
        if best:
            chosen[asked.name] = best[0]
    return chosen


def _spots(study: Study, connection: str) -> list[tuple[str, str]]:
    """Return the channels of a connection, each with the number of its phase."""
    found = study.connection(connection)
    kind = wiring(found.wiring)
    elements = [(element.voltage, element.current) for element in kind.elements]
    return [
        (found.sockets[socket], str(k))
        for k, sockets in enumerate(elements, start=1)
        for socket in sockets
        if socket in found.sockets
    ]


def fitting_channels(asked: AskedOperand, types: Types) -> list[str]:
    """Return the channels that may stand for what a group asks for."""
    wanted = unit(asked.unit) if asked.unit else None
    return [name for name, (kind, shown) in types.items() if kind is Kind.SIGNAL and (wanted is None or shown.like(wanted))]


def texts_of(group: FormulaGroup, study: Study, channels: Mapping[str, str]) -> tuple[str, ...]:
    """Return the formulas of a group with channels in place; names that are taken get a number behind them.

    Raises
    ------
    StudyError
        When a channel that the group asks for is not told.
    """
    missing = [asked.what for asked in group.asks if asked.name not in channels]
    if missing:
        raise StudyError(f"{group.title} needs a channel for {', '.join(missing)}. Choose one.")
    names = dict(channels)
    taken = set(study.names)
    for text in group.formulas:
        defined = parse(text)[0]
        assert defined is not None
        names[defined] = next(free for k in range(1, 9999) if (free := defined if k == 1 else f"{defined}_{k}") not in taken)
        taken.add(names[defined])
    return tuple(rewritten(text, names) for text in group.formulas)


def with_group(study: Study, texts: Sequence[str]) -> Study:
    """Return the study with the formulas of a group."""
    for text in texts:
        study = set_formula(study, text)
    return study
