"""What other packages bring: readings, formats, limit sets and more, by entry points (PyPA, Entry points specification).

A package names what it brings in a group of its kind, `pantelos.readings` and so on. One that fails, brings what is none, or a
name that is taken is told in a sentence and left out; it never stops the program.
"""

import sys
from collections.abc import Iterator
from functools import cache
from pathlib import Path
from typing import Any

import msgspec

GROUP = "pantelos."
_told: dict[str, None] = {}


class Brought(msgspec.Struct, frozen=True):
    """One thing that a package brings."""

    package: str
    name: str
    value: Any

    def left_out(self, why: str) -> None:
        """Have it told that this is not used."""
        _told[f"The package {self.package} brings {self.name}, which is left out: {why}."] = None


def told() -> tuple[str, ...]:
    """Return what is to be said of packages, as far as anything was asked of them."""
    return tuple(_told)


@cache
def brought(group: str) -> tuple[Brought, ...]:
    """Return what packages bring of a kind, by package and name; what cannot be loaded is told. Looked for once."""
    return tuple(_loaded(group)) if _anybody() else ()


def _loaded(group: str) -> Iterator[Brought]:
    from importlib.metadata import entry_points  # here, for the sake of a quick start: nobody may have brought anything

    points = sorted(entry_points(group=GROUP + group), key=lambda one: (one.dist.name if one.dist else "", one.name))
    for point in points:
        of = point.dist.name if point.dist else point.module
        try:
            yield Brought(of, point.name, point.load())
        except Exception as error:  # whatever another package does
            Brought(of, point.name, None).left_out(f"{point.value} fails with {type(error).__name__}: {error}")


def state_of_others() -> list[str]:
    """Return what the results of this program depend on of other packages: their versions, and when their files were changed."""
    if not _anybody():
        return []
    from importlib.metadata import distributions  # here, for the sake of a quick start
    from importlib.util import find_spec

    found = list[str]()
    points = [point for dist in distributions() for point in dist.entry_points if point.group.startswith(GROUP)]
    for module in sorted({point.module.partition(".")[0] for point in points}):
        try:
            spec = find_spec(module)
        except (ImportError, ValueError):  # whatever another package does
            spec = None
        places = [*(spec.submodule_search_locations or ())] if spec is not None else []
        files = [path for place in places for path in Path(place).rglob("*") if path.is_file() and path.suffix != ".pyc"]
        files += [Path(spec.origin)] if spec is not None and spec.origin and not places else []
        for path in sorted(files):
            try:
                state = path.stat()
            except OSError:
                continue
            found.append(f"{module} {path.name} {state.st_mtime_ns} {state.st_size}")
    return [*found, *sorted(f"{point.dist.name} {point.dist.version}" for point in points if point.dist)]


@cache
def _anybody() -> bool:
    """Return whether any installed package names a group of ours; files are looked into, nothing is imported."""
    for folder in map(Path, sys.path):
        for points in folder.glob("*.dist-info/entry_points.txt"):
            try:
                if f"[{GROUP}".encode() in points.read_bytes():
                    return True
            except OSError:
                continue
    return False
