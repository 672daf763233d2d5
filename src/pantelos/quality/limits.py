"""Limit sets as files: those there are, what a file says, and every limit of a set with its inputs worked in."""

import contextlib
import re
import tomllib
from pathlib import Path

import msgspec
import numpy as np

from pantelos.errors import PantelosError, StudyError, access_error
from pantelos.folders import settings_directory
from pantelos.packages import Brought, brought
from pantelos.quality.limit_checks import checked, nearest
from pantelos.quality.requirements import SIGNAL, Limit, LimitSet, Requirement

FOLDER = Path(__file__).parent / "limit_sets"
SUFFIX = ".toml"


def limits_schema() -> dict[str, object]:
    """Return the JSON schema of a limit set."""
    return msgspec.json.schema(LimitSet)


def own_folder() -> Path:
    """Return where the user's own sets lie."""
    return settings_directory() / "limits"


def known_sets() -> dict[str, Path]:
    """Return the files of all sets by id: shipped ones, those of other packages, and those of the user, which come before."""
    found = {path.stem: path for path in sorted(FOLDER.glob(f"*{SUFFIX}"))}
    for one in brought("limit_sets"):
        files = _files_in(one)
        for taken in files.keys() & found.keys():
            one.left_out(f'there is a limit set "{taken}" already')
        found = files | found
    return found | {path.stem: path for path in sorted(own_folder().glob(f"*{SUFFIX}"))}


def _files_in(one: Brought) -> dict[str, Path]:
    """Return the files of limit sets that a package brings: a file, or all of a folder."""
    given = Path(one.value) if isinstance(one.value, str | Path) else None
    files = [] if given is None else [given] if given.suffix == SUFFIX else sorted(given.glob(f"*{SUFFIX}"))
    if not files:
        one.left_out(f"{one.value} is neither a {SUFFIX} file nor a folder of such")
    return {path.stem: path for path in files}


def limit_set(name: str) -> LimitSet:
    """Return a set by its id or by the path of its file.

    Raises
    ------
    StudyError
        When there is none, or its file does not say what a set has to; the message names the place.
    """
    known = known_sets()
    path = known.get(name) or Path(name)
    if not path.is_file():
        raise StudyError(f'There is no limit set "{name}"; {nearest(name, known)} Name one of these, or a file of your own.')
    return read_limit_set(path)


def inputs_of_sets() -> set[str]:
    """Return the names of all inputs that a set asks for; of those that can be read."""
    found = set[str]()
    for path in known_sets().values():
        with contextlib.suppress(PantelosError):
            found |= read_limit_set(path).inputs.keys()
    return found


def read_limit_set(path: Path, behind: tuple[str, ...] = ()) -> LimitSet:
    """Return the set in a file, with what it derives from."""
    try:
        text = path.read_text(encoding="utf-8-sig")
        found = msgspec.convert(_with_order_numbers(tomllib.loads(text)), LimitSet)
    except (tomllib.TOMLDecodeError, UnicodeDecodeError, msgspec.ValidationError, ValueError) as error:
        raise StudyError(f"{path} is no limit set: {_said(error, path)}. docs/limit-sets.md says what one holds.") from error
    except OSError as cause:
        raise access_error(path, "read", cause) from cause
    base = _base(found, path, behind)
    inputs = base.inputs | found.inputs
    found = checked(found, inputs | {SIGNAL: "the frequency of mains signalling"}, text, path)
    own = {one.id: one for one in found.requirement}
    kept = [own.pop(one.id, one) for one in base.requirement]
    less = found.disregarded or base.disregarded
    return msgspec.structs.replace(found, requirement=(*kept, *own.values()), inputs=inputs, disregarded=less)


def _base(found: LimitSet, path: Path, behind: tuple[str, ...]) -> LimitSet:
    """Return the set that another one derives from; one without requirements where it derives from none."""
    if not found.derives:
        return LimitSet("", "", "", "")
    if found.derives in behind:
        raise StudyError(f"{path} derives from {found.derives}, which derives from it. Take one of the two out.")
    base_path = known_sets().get(found.derives)
    if base_path is None:
        raise StudyError(f"{path} derives from {found.derives}, which there is not; {nearest(found.derives, known_sets())}")
    return read_limit_set(base_path, (*behind, path.stem))


def _said(error: Exception, path: Path) -> str:
    """Return what is wrong with a file, with the line and the nearest word where a key is not known."""
    unknown = re.search(r"unknown field `(.+?)`", str(error))
    if unknown is None:
        return str(error)
    lines = path.read_text(encoding="utf-8-sig").splitlines()
    line = next((k for k, one in enumerate(lines, start=1) if one.lstrip().startswith(unknown[1])), 0)
    within = (Requirement, LimitSet) if "requirement" in str(error) else (LimitSet, Requirement)
    known = [name for kind in within[:1] for name in kind.__struct_fields__]
    return f'line {line} says "{unknown[1]}", which is not known; {nearest(unknown[1], known).rstrip(".")}'


def _with_order_numbers(read: dict[str, object]) -> dict[str, object]:
    """Return what stands in a file with its orders, which are texts there, as numbers."""
    requirements = read.get("requirement")
    for one in requirements if isinstance(requirements, list) else []:
        for key in ("orders", "caps"):
            if isinstance(one, dict) and isinstance(one.get(key), dict):
                one[key] = {int(order): value for order, value in one[key].items()}
    return read


def limits_of(found: LimitSet, inputs: dict[str, float]) -> list[Limit]:
    """Return every limit of a set.

    Raises
    ------
    StudyError
        When an input that the set needs is not stated.
    """
    missing = [f"{name} ({what})" for name, what in found.inputs.items() if name not in inputs]
    if missing:
        raise StudyError(
            f"{found.title} needs {', '.join(missing)}. State it, such as {next(iter(missing)).split(' ')[0]} = 100."
        )
    limits = []
    for one in found.requirement:
        if not one.orders:
            high = _along(one, one.highs, inputs) if one.highs else one.high
            low = one.low
            limits.append(Limit(one, one.title, None, *(None if x is None else x * one.factor for x in (low, high))))
            continue
        for order, value in sorted(one.orders.items()):
            high = _along(one, value, inputs) if isinstance(value, tuple) else value
            if one.scaled_by:
                high *= inputs[one.scaled_by]
            high = min(high, one.caps.get(order, high)) * one.factor
            limits.append(Limit(one, one.title.format(order=order), order, None, high))
    return limits


def _along(one: Requirement, rows: tuple[float, ...], inputs: dict[str, float]) -> float:
    """Return the limit at the input that a table depends on; below its first row that of the first."""
    assert one.table is not None
    if one.table.input not in inputs:  # one that no set has to be told: SIGNAL
        return min(rows)
    at, value = np.array(one.table.at), inputs[one.table.input]
    if one.table.between == "linear":
        return float(np.interp(value, at, rows))
    if one.table.between == "log":
        return float(np.exp(np.interp(np.log(value), np.log(at), np.log(rows))))
    return rows[max(int(np.searchsorted(at, value, side="right")) - 1, 0)]
