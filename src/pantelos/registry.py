"""What there is of a kind, by name, in the order in which it is listed: adding an entry makes it known everywhere."""

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from importlib import import_module
from pkgutil import iter_modules
from typing import Generic, TypeVar

from pantelos.errors import StudyError, clipped

T = TypeVar("T")


def defined_in(package: str, kind: type[T], place: Callable[[T], int], module: str = "") -> list[T]:
    """Return what the modules of a package define of a kind, by their place and then by name: a file there is an entry.

    With `module` it is the module of that name in each folder of the package, and nothing else is loaded.
    """
    found: dict[int, T] = {}
    inside = iter_modules(import_module(package).__path__)
    names = sorted(info.name for info in inside if info.ispkg or not module)
    for name in names:
        known = import_module(f"{package}.{name}.{module}" if module else f"{package}.{name}")
        for value in vars(known).values():
            if isinstance(value, kind):
                found[id(value)] = value
    return sorted(found.values(), key=place)


class Registry(Generic[T]):
    """Entries by name."""

    def __init__(self, what: str, name: Callable[[T], str], entries: Sequence[T]) -> None:
        """Hold entries; `what` says what they are where a name is asked for that is not there."""
        self._what, self._name = what, name
        self._entries: dict[str, T] = {}
        for entry in entries:
            self.add(entry)

    def add(self, entry: T) -> None:
        """Add an entry behind the others.

        Raises
        ------
        ValueError
            When its name is taken.
        """
        if self._name(entry) in self._entries:
            raise ValueError(f"{self._what} {self._name(entry)} is there already")
        self._entries[self._name(entry)] = entry

    @contextmanager
    def with_entry(self, entry: T) -> Iterator[T]:
        """Have an entry for a while."""
        self.add(entry)
        try:
            yield entry
        finally:
            del self._entries[self._name(entry)]

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
