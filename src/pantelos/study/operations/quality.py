"""What is declared of the supply: a change of the study, and the words it is stated in."""

import difflib
import re
from collections.abc import Callable
from typing import Any

from msgspec.structs import replace

from pantelos.amounts import amount, amount_of
from pantelos.errors import StudyError, UnitError, clipped
from pantelos.quality.limits import inputs_of_sets
from pantelos.study.model import Quality, Study, Trend
from pantelos.study.validation import check_quality

_TREND = re.compile(
    r"^\s*(?P<parameter>\S+)(?:\s+(?P<conductor>L[123]))?\s*=\s*(?P<channel>.+?)(?:\s+every\s+(?P<base>.+?))?\s*$"
)
_CLOSE = 0.75  # likeness from which on a word is one that is mistyped
_BASES = ("10 s", "3 s", "10 min", "2 h")


def set_quality(study: Study, **changes: Any) -> Study:
    """Return the study with other declarations.

    Raises
    ------
    StudyError
        Naming the first one that cannot be.
    """
    changed = replace(study, quality=replace(study.quality, **changes))
    check_quality(changed)
    return changed


def quality_from(of: Quality, text: str) -> Quality:
    """Return declarations with one more of them, as it is typed: `U_din = 230 V`, `limits = en50160-lv`, `I_L = 100 A`.

    Raises
    ------
    StudyError
        When the text says nothing that can be declared.
    """
    name, equals, said = (part.strip() for part in text.partition("="))
    if not equals or not said:
        example = "U_din = 230 V, limits = en50160-lv, I_L = 100 A"
        raise StudyError(f'"{clipped(text)}" declares nothing. Write for example {example}.')
    if name == "clock":
        by, _, within = said.partition("±")
        known = _number(within, "s") if within.strip() else None
        return replace(of, clock_s=_number(by, "s"), clock_u_s=known)
    if name in _DECLARED:
        field, read = _DECLARED[name]
        return replace(of, **{field: read(said)})
    if name == "trend":
        return replace(of, trends=(*of.trends, trend_from(said)))
    words = [*_DECLARED, "clock", "trend"]
    close = difflib.get_close_matches(name.casefold(), [word.casefold() for word in words], 1, _CLOSE)
    if close and name not in inputs_of_sets():
        meant = next(word for word in words if word.casefold() == close[0])
        raise StudyError(
            f'"{clipped(name)}" declares nothing; did you mean "{meant}"? An input of a limit set has a name of its own.'
        )
    return replace(of, inputs=of.inputs | {name: _number(said, "")})


def trend_from(text: str) -> Trend:
    """Return a trend as it is typed: `U L1 = U1_rms every 10 min`.

    Raises
    ------
    StudyError
        When the text is none, or names an interval that no parameter has.
    """
    found = _TREND.match(text)
    if found is None:
        raise StudyError(f'"{clipped(text)}" is no trend. Write parameter, conductor, channel: U L1 = U1_rms every 10 min.')
    base = found["base"] or ("10 s" if found["parameter"] == "f" else "10 min")
    return Trend(found["parameter"], found["channel"], found["conductor"] or "", _one_of(base, _BASES))


def _list(text: str) -> tuple[str, ...]:
    return tuple(one for part in text.split(",") if (one := part.strip()) and one != "none")


def _one_of(text: str, known: tuple[str, ...]) -> str:
    if text not in known:
        raise StudyError(f'"{clipped(text)}" is not known here; write {" or ".join(known)}.')
    return text


def _point(text: str) -> tuple[float, float]:
    length, _, left = text.strip().rpartition(" ")
    return _number(length, "s"), _number(left if "%" in left else f"{left} %", "%")


def _number(text: str, usual: str) -> float:
    """Return a typed quantity in SI; a number without a unit is in the usual one.

    Raises
    ------
    StudyError
        When it is none, or of another kind.
    """
    if usual:
        return amount(text, usual, f"is no number in {usual}.")
    try:
        return amount_of(text)[0]
    except (StudyError, UnitError) as cause:
        raise StudyError(f'"{clipped(text)}" is no number.') from cause


# What can be declared by a name of its own: the field of the study, and how its text is read.
_DECLARED: dict[str, tuple[str, Callable[[str], Any]]] = {
    "U_din": ("U_din", lambda text: _number(text, "V")),
    "connection": ("connection", str),
    "limits": ("sets", _list),
    "frequency": ("frequency_hz", lambda text: round(_number(text, "Hz"))),
    "lamp": ("lamp", lambda text: 120 if _one_of(text, ("230 V", "120 V")) == "120 V" else 230),
    "signal": ("signal_hz", lambda text: _number(text, "Hz")),
    **{name: (name, lambda text: _number(text, "%")) for name in ("dip", "swell", "interruption", "hysteresis", "rapid")},
    "rule": ("rule", lambda text: _one_of(text, ("undecided", "simple", "guarded"))),
    "reference": ("sliding", lambda text: _one_of(text, ("declared", "sliding")) == "sliding"),
    "flagged": ("with_flagged", lambda text: _one_of(text, ("left out", "judged")) == "judged"),
    "immunity": ("immunity", lambda text: tuple(_point(one) for one in _list(text))),
}
