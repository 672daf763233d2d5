"""The table of a calibration certificate as a text file: frequency, gain, phase and the expanded uncertainty of each.

The first line may head the columns: `f` or `frequency` in Hz or kHz; `gain` or `ratio` (what is read over what is there) as
a number or in %, or `ratio error` in %; `phase` in deg, min, mrad or rad; and `U gain`, `U ratio`, `U phase`, in the unit they
head or in that of the column they belong to. Without headings the columns are f in Hz, gain, phase in degrees, U of the gain,
U of the phase.
"""

import contextlib
import csv
from pathlib import Path

from pantelos.errors import ScalingError, clipped
from pantelos.formats.heading_names import split_name
from pantelos.formats.text.cells import MINUS_SIGN, Style
from pantelos.formats.vocabulary import plain_words
from pantelos.record.response import MOST_ROWS, RADIANS, Response, ResponseRow, check_response
from pantelos.units import unit

_MOST_BYTES = 1 << 20
_WORDS = {
    "f": "f",
    "frequency": "f",
    "gain": "gain",
    "ratio": "gain",
    "ratio error": "error",
    "phase": "phase",
    "phase displacement": "phase",
}
_PLAIN = {"f": "Hz", "gain": "1", "error": "%", "phase": "deg"}
_ORDER = ("f", "gain", "phase", "U gain", "U phase")


def read_certificate(path: Path) -> Response:
    """Return the frequency response that a text file states.

    Raises
    ------
    ScalingError
        Which says what is wrong in which line.
    """
    try:
        with path.open("rb") as file:
            data = file.read(_MOST_BYTES + 1)
    except OSError as error:
        raise ScalingError(f"{path.name}: it cannot be read ({error.strerror}). Name the file with the table.") from error
    if len(data) > _MOST_BYTES:
        raise ScalingError(f"{path.name} is too large for the table of a certificate, which has up to {MOST_ROWS} rows.")
    lines = [line for line in data.decode("utf-8-sig", errors="replace").splitlines() if line.strip() and line[0] != "#"]
    delimiter = next((mark for mark in (";", "\t") if lines and mark in lines[0]), ",")
    rows = [[cell.strip() for cell in row] for row in csv.reader(lines, delimiter=delimiter)]
    factors = {name: _factor(name, _PLAIN[name.removeprefix("U ")], path) for name in _ORDER}
    places = {name: k for k, name in enumerate(_ORDER)}
    if rows and _number(rows[0][0], delimiter) is None:
        places, factors = _headed(rows.pop(0), path)
    found = []
    for at, row in enumerate(rows, len(lines) - len(rows) + 1):
        cells = {name: row[k] for name, k in places.items() if k < len(row) and row[k]}
        values = {name: _number(cell, delimiter) for name, cell in cells.items()}
        wrong = next((cells[name] for name, value in values.items() if value is None), None)
        if wrong is not None or "f" not in values:
            what = f'"{clipped(wrong)}" is no number' if wrong is not None else "it has no frequency"
            raise ScalingError(f"{path.name}, line {at}: {what}. Each line holds f, gain, phase and their U.")
        found.append(_row({name: (value or 0.0) * factors[name] for name, value in values.items()}))
    if not found:
        raise ScalingError(f"{path.name} holds no rows of f, gain and phase.")
    response = Response(tuple(sorted(found, key=lambda row: row.f_hz)))
    try:
        check_response(response)
    except ScalingError as error:
        raise ScalingError(f"{path.name}: {error}") from error
    return response


def _headed(row: list[str], path: Path) -> tuple[dict[str, int], dict[str, float]]:
    """Return where each column stands, and what its figures are multiplied by."""
    places: dict[str, int] = {}
    units: dict[str, str] = {}
    for k, heading in enumerate(row):
        name, symbol = split_name(heading)
        words = plain_words(name)
        if words == "u" and symbol is not None:  # U(gain)
            words, symbol = f"u {plain_words(symbol)}", None
        word = _WORDS.get(words.removeprefix("u ") if words != "u" else words)
        if word is None:
            known = ", ".join(_WORDS)
            raise ScalingError(f'{path.name}: nobody knows what "{clipped(heading)}" heads. Known are {known}, and U of each.')
        of_u = words.startswith("u ")
        name = f"U {word}".replace("U error", "U gain") if of_u else word
        places[name], units[name] = k, (symbol or "").strip()
    if "f" not in places or not {"gain", "error", "phase"} & places.keys():
        raise ScalingError(f"{path.name}: a table heads f and gain, ratio error or phase.")
    of_gain = "error" if "error" in places else "gain"
    factors = {}
    for name, shown in units.items():
        of = {"U gain": of_gain, "U phase": "phase"}.get(name, name)
        factors[name] = _factor(name, shown or units.get(of, "") or _PLAIN[of], path)
    return places, factors


def _factor(name: str, shown: str, path: Path) -> float:
    kind = name.removeprefix("U ")
    if kind == "phase" and shown in RADIANS:
        return RADIANS[shown]
    if kind in ("gain", "error") and shown in ("1", "%"):
        return 0.01 if shown == "%" else 1.0
    if kind == "f" and shown in ("Hz", "kHz", "MHz"):
        return unit(shown).factor
    raise ScalingError(f'{path.name}: {name} cannot be in "{clipped(shown)}".')


def _row(values: dict[str, float]) -> ResponseRow:
    gain = 1.0 + values["error"] if "error" in values else values.get("gain", 1.0)
    u_gain, u_phase = values.get("U gain", 0.0), values.get("U phase", 0.0)
    return ResponseRow(values["f"], gain, values.get("phase", 0.0), u_gain, u_phase)


def _number(cell: str, delimiter: str) -> float | None:
    for decimal in (".", ",") if delimiter != "," else (".",):
        with contextlib.suppress(ValueError):
            return Style(delimiter, decimal).value(cell.replace(MINUS_SIGN, "-").lstrip("±"))
    return None
