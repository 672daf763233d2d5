"""What the name over a column says: the name proper, its unit, and whether it is a time or merely counts the samples."""

import re

from pantelos.errors import UnitError
from pantelos.formats import vocabulary
from pantelos.units import Unit, unit

_LONGEST = 500  # letters
_IN_BRACKETS = re.compile(r"^(?P<name>.*?)\s*[\[(]\s*(?P<unit>[^\[\]()]*?)\s*[\])]\s*$")
# Name and unit otherwise: u1 / V, P/MW, u in uV, u1, V. What stands behind must be a unit, or the name is left whole.
_OTHERWISE = (
    re.compile(r"^(?P<name>[^/]+?)\s*/\s*(?P<unit>[^/\s]+(?:\s*/\s*[^/\s]+)?)$"),
    re.compile(r"^(?P<name>\S.*?)\s+in\s+(?P<unit>\S+)$", re.IGNORECASE),
    re.compile(r"^(?P<name>[^,]+?)\s*,\s+(?P<unit>\S+)$"),
)
# Units that a name ends in behind a mark; single letters are left out, as L_A and I_B are names.
_BEHIND_MARK = re.compile(r"^(?P<name>.+)_(?P<unit>[kmuµn]V|[kmuµn]A|[kM]?W|[kM]?VA|[kM]?Hz|Nm|rpm|[Oo]hms?|degC)$")
_TIME_BEHIND_MARK = re.compile(r"^(?P<name>.+)_(?P<unit>s|ms|us|µs|ns|sec|min|h)$", re.IGNORECASE)
_SINCE_1970 = re.compile(r"(?i)(unix|epoch|posix)")


def split_name(cell: str) -> tuple[str, str | None]:
    """Return (name, unit text) of a header cell such as `I1 [mA]`, `U2 (V)`, `i3 / A`, `P/MW`; unit None when absent."""
    cell = cell.strip().strip('"').strip()
    if len(cell) > _LONGEST:  # no name with a unit
        return cell, None
    match = _IN_BRACKETS.match(cell)
    if match and match["name"]:
        return match["name"], match["unit"]
    for form in _OTHERWISE:
        match = form.match(cell)
        if match and match["unit"] != "1" and known_unit(match["unit"]):
            return match["name"], match["unit"]
    match = _BEHIND_MARK.match(cell) or (_TIME_BEHIND_MARK.match(cell) if _says_time(cell) else None)
    return (match["name"], match["unit"]) if match else (cell, None)


def known_unit(text: str) -> Unit | None:
    """Return the unit a text names, or None."""
    try:
        return unit(text)
    except UnitError:
        return None


def looks_like_units(cells: list[str]) -> bool:
    """Return whether a row is a row of units: at least one, and every filled cell is one."""
    filled = [cell.strip().strip('"') for cell in cells if cell.strip().strip('"')]
    return bool(filled) and all(known_unit(cell.strip("[]() ")) for cell in filled)


def _says_time(name: str) -> bool:
    words = vocabulary.plain_words(name).split()
    return bool(words) and (words[0].rstrip("0123456789") in vocabulary.TIME or says_since_1970(name))


def is_time(name: str, unit_text: str | None) -> bool:
    """Return whether a column is the time, by its name or by its unit."""
    found = known_unit(unit_text) if unit_text else None
    if found is not None and found.dimension:
        return found.like(unit("s"))
    return _says_time(name) and (found is None or not unit_text)


def is_named_after(name: str, other: str) -> bool:
    """Return whether a time is named after a column, as t_u1 and time_u1 after u1."""
    return "_" in name and other in (name.partition("_")[2], name.rpartition("_")[2])


def says_since_1970(name: str) -> bool:
    """Return whether a name says that times count from 1970 on."""
    return bool(_SINCE_1970.search(name))


def is_date(name: str) -> bool:
    """Return whether a column holds days, by its name."""
    return any(word in vocabulary.DATE for word in vocabulary.plain_words(name).split())


def is_index(name: str) -> bool:
    """Return whether a column merely counts the samples."""
    return vocabulary.plain_words(name) in vocabulary.INDEX


def unique(name: str, taken: set[str]) -> str:
    """Return the name, with a number behind it where it is taken already."""
    if name not in taken:
        return name
    return next(other for k in range(2, len(taken) + 3) if (other := f"{name}_{k}") not in taken)
