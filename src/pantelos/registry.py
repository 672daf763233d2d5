"""What there is of a kind, by name, in the order in which it is listed: adding an entry makes it known everywhere."""

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from importlib import import_module
from operator import attrgetter
from pkgutil import iter_modules
from types import ModuleType
from typing import Any, ClassVar, Generic, TypeVar

from pantelos.errors import StudyError, clipped
from pantelos.packages import Brought, brought

T = TypeVar("T")


def defined_in(package: str, kind: type[T], place: Callable[[T], int], module: str = "") -> list[T]:
    """Return what the modules of a package define of a kind, by their place and then by name: a file there is an entry.

    With `module` it is the module of that name in each folder of the package, and nothing else is loaded.
    """
    found: dict[int, T] = {}
    for known in modules_of(package, module):
        for value in vars(known).values():
            if isinstance(value, kind):
                found[id(value)] = value
    return sorted(found.values(), key=place)


def modules_of(package: str, module: str = "") -> Iterator[ModuleType]:
    """Yield the modules of a package by name; with `module` that of the name in each folder of it."""
    inside = iter_modules(import_module(package).__path__)
    for name in sorted(info.name for info in inside if info.ispkg or not module):
        yield import_module(f"{package}.{name}.{module}" if module else f"{package}.{name}")


class Entries(ABC, Generic[T]):
    """What is looked up by name, in the order in which it is listed."""

    def __init__(self, what: str) -> None:
        self._what = what

    @property
    @abstractmethod
    def _entries(self) -> dict[str, T]: ...

    def get(self, name: str) -> T | None:
        """Return the entry of that name, or None."""
        return self._entries.get(name)

    def __getitem__(self, name: str) -> T:
        found = self._entries.get(name)
        if found is None:
            raise StudyError(f'There is no {self._what} "{clipped(name)}"; there are {", ".join(self._entries)}.')
        return found

    def __contains__(self, name: object) -> bool:
        return name in self._entries

    def __iter__(self) -> Iterator[T]:
        return iter(tuple(self._entries.values()))

    def __len__(self) -> int:
        return len(self._entries)

    @property
    def names(self) -> tuple[str, ...]:
        """The names, in order."""
        return tuple(self._entries)


class Registry(Entries[T]):
    """Entries by name. What other packages bring of the kind stands behind ours; it is looked for when somebody asks."""

    every: ClassVar[list["Registry[Any]"]] = []

    def __init__(
        self, what: str, name: Callable[[T], str], entries: Sequence[T], group: str = "", kind: type[T] | None = None
    ) -> None:
        """Hold entries; `what` says what they are where a name is asked for that is not there.

        With a group of entry points, and the kind of what may stand there, other packages may bring more.
        """
        super().__init__(what)
        self._name = name
        self._group, self._kind, self._asked = group, kind, not group
        self._own: dict[str, T] = {}
        for entry in entries:
            self.add(entry)
        Registry.every.append(self)

    @classmethod
    def of_modules(
        cls, what: str, kind: type[T], package: str, group: str, name: Callable[[Any], str] = attrgetter("id"), module: str = ""
    ) -> "Registry[T]":
        """Return a registry of what the modules of a package define of a kind, and other packages bring."""
        return cls(what, name, defined_in(package, kind, attrgetter("place"), module), group, kind)

    @property
    def _entries(self) -> dict[str, T]:
        if not self._asked:
            self._asked = True  # a package that is loaded may ask itself
            for one in brought(self._group):
                self._take(one)
        return self._own

    def _take(self, one: Brought) -> None:
        for entry in one.value if isinstance(one.value, list | tuple) else (one.value,):
            if self._kind is None or not isinstance(entry, self._kind):
                one.left_out(f"{self._what} is expected, not {type(entry).__name__}")
            elif self._name(entry) in self._own:
                one.left_out(f'there is a {self._what} "{self._name(entry)}" already')
            else:
                self._own[self._name(entry)] = entry

    def add(self, entry: T) -> None:
        """Add an entry behind the others.

        Raises
        ------
        ValueError
            When its name is taken.
        """
        if self._name(entry) in self._own:
            raise ValueError(f"{self._what} {self._name(entry)} is there already")
        self._own[self._name(entry)] = entry

    @contextmanager
    def with_entry(self, entry: T) -> Iterator[T]:
        """Have an entry for a while."""
        self.add(entry)
        try:
            yield entry
        finally:
            del self._own[self._name(entry)]

    def part(self, what: str, keep: Callable[[T], bool], place: Callable[[T], int] | None = None) -> "Entries[T]":
        """Return those of the entries that are kept, whatever is added later; in an order of their own where it is given."""
        return _Part(self, what, keep, place)


class _Part(Entries[T]):
    """Some entries of a registry."""

    def __init__(self, of: Entries[T], what: str, keep: Callable[[T], bool], place: Callable[[T], int] | None) -> None:
        super().__init__(what)
        self._of, self._keep, self._place = of, keep, place

    @property
    def _entries(self) -> dict[str, T]:
        found = {name: entry for name in self._of.names if self._keep(entry := self._of[name])}
        place = self._place
        return found if place is None else dict(sorted(found.items(), key=lambda pair: place(pair[1])))
