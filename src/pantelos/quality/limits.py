"""Limit sets: what is required of parameters, as data in files, a set in each.

A set may derive from another one: requirements of the same id replace those of the base, others are added. Tables of limits may
depend on an input (a short-circuit ratio): between its rows linearly, or by steps. Docs: limit-sets.md.
"""

import tomllib
from pathlib import Path
from typing import Literal, TypeAlias

import msgspec
import numpy as np

from pantelos.errors import StudyError
from pantelos.folders import settings_directory
from pantelos.packages import Brought, brought

FOLDER = Path(__file__).parent / "limit_sets"
SUFFIX = ".toml"

SIGNAL = "signal_hz"  # an input of every set: the frequency of mains signalling, where one is declared

Statistic: TypeAlias = Literal["share", "percentile", "maximum", "average", "value"]
Relative: TypeAlias = Literal["", "deviation", "U_din", "I_ref", "I_L", "fundamental"]


class LimitTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Where the rows of limits stand that depend on an input."""

    input: str
    at: tuple[float, ...]
    between: Literal["linear", "step", "log"] = "step"  # log: straight where both are drawn to logarithms


class Requirement(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One requirement, or one for each of its orders."""

    id: str
    title: str  # {order} stands for the order
    parameter: str = ""  # of the parameters of quality: f, U, u2, Plt, THD, Uh, Ih, Ig, ...
    base: str = "10 min"
    period: Literal["", "week", "day", "observation"] = ""  # over which it is to be observed; "": that of the set
    formula: str = ""  # in place of a parameter: any reading
    statistic: Statistic = "share"
    share: float = 95.0  # of the values that must lie inside; of a percentile, which
    low: float | None = None
    high: float | None = None
    unit: str = "%"
    relative: Relative = ""  # what values are held against before they are compared, in %
    orders: dict[int, float | tuple[float, ...]] = {}  # the upper limit of each order; several: along the table
    table: LimitTable | None = None
    highs: tuple[float, ...] = ()  # upper limits along the table, of a requirement without orders
    scaled_by: str = ""  # an input that limits of orders are multiplied by
    caps: dict[int, float] = {}  # which they do not exceed even so
    factor: float = 1.0  # that all limits are multiplied by
    partial_from: int | None = None  # odd orders from there on may reach 150 % while together below what the limits allow
    clause: str = ""
    remark: str = ""
    to_confirm: bool = False


class LimitSet(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A set of requirements."""

    id: str
    title: str
    source: str
    edition: str
    remark: str = ""
    derives: str = ""
    period: str = "week"  # over which it is to be observed
    of: Literal["voltage", "current", "any"] = "voltage"
    inputs: dict[str, str] = {}  # what has to be stated, and what it is
    disregarded: tuple[float, float] | None = None  # currents below so many % of the rms current, or below so many A
    requirement: tuple[Requirement, ...] = ()


class Limit(msgspec.Struct, frozen=True):
    """One limit, every table and input worked in; in the unit that values are compared in."""

    requirement: Requirement
    title: str
    order: int | None
    low: float | None
    high: float | None

    @property
    def id(self) -> str:
        """Unlike that of any other limit of the set."""
        return self.requirement.id if self.order is None else f"{self.requirement.id} {self.order}"


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
        raise StudyError(
            f'There is no limit set "{name}"; there are {", ".join(known)}. Name one of these, or a file of your own.'
        )
    return read_limit_set(path)


def read_limit_set(path: Path, behind: tuple[str, ...] = ()) -> LimitSet:
    """Return the set in a file, with what it derives from."""
    try:
        found = msgspec.convert(_with_order_numbers(tomllib.loads(path.read_text(encoding="utf-8"))), LimitSet)
    except (tomllib.TOMLDecodeError, UnicodeDecodeError, msgspec.ValidationError, ValueError) as error:
        raise StudyError(f"{path} is no limit set: {error}. docs/limit-sets.md says what one holds.") from error
    _check(found, path)
    if not found.derives:
        return found
    if found.derives in behind:
        raise StudyError(f"{path} derives from {found.derives}, which derives from it. Take one of the two out.")
    base_path = known_sets().get(found.derives)
    if base_path is None:
        raise StudyError(f"{path} derives from {found.derives}, which there is not; there are {', '.join(known_sets())}.")
    base = read_limit_set(base_path, (*behind, path.stem))
    own = {one.id: one for one in found.requirement}
    kept = [own.pop(one.id, one) for one in base.requirement]
    inputs, less = base.inputs | found.inputs, found.disregarded or base.disregarded
    return msgspec.structs.replace(found, requirement=(*kept, *own.values()), inputs=inputs, disregarded=less)


def _with_order_numbers(read: dict[str, object]) -> dict[str, object]:
    """Return what stands in a file with its orders, which are texts there, as numbers."""
    requirements = read.get("requirement")
    for one in requirements if isinstance(requirements, list) else []:
        for key in ("orders", "caps"):
            if isinstance(one, dict) and isinstance(one.get(key), dict):
                one[key] = {int(order): value for order, value in one[key].items()}
    return read


def _check(found: LimitSet, path: Path) -> None:
    for one in found.requirement:
        where = f'{path}, requirement "{one.id}"'
        if bool(one.parameter) == bool(one.formula):
            raise StudyError(f"{where}: state either a parameter or a formula.")
        if one.low is None and one.high is None and not one.orders and not one.highs:
            raise StudyError(f"{where} has no limit: state low, high or orders.")
        if one.table is not None and one.table.input not in (*found.inputs, SIGNAL) and not found.derives:
            raise StudyError(f"{where}: its table depends on {one.table.input}, which is none of the inputs of the set.")
        rows = [value for value in (*one.orders.values(), one.highs) if isinstance(value, tuple) and value]
        n_rows = len(one.table.at) if one.table is not None else 0
        if any(len(row) != n_rows for row in rows):
            raise StudyError(f"{where}: each list of limits needs as many as its table has rows, {n_rows}.")


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
