"""Results made once: the key of each follows from the function and from what it was asked, by one rule for every argument.

A function that is `remembered` is asked like any other. Its key holds its name and, of every argument, all that a result can
depend on: of a channel the digest of its samples, of an interval where it lies, of a connection its kind,
its channels by socket and whose cycles count, of a reference the channel, its digest and why it is that one. So no key is put
together by hand, and none can leave something out.
"""

import functools
import inspect
from collections.abc import Callable
from typing import Any, Concatenate, Generic, ParamSpec, TypeVar, overload

import msgspec

from pantelos.engine.kept import Form, kept_or_made
from pantelos.engine.results import Key, identity_of
from pantelos.study.model import Connection

P = ParamSpec("P")
Owner = TypeVar("Owner")
T = TypeVar("T")
_CHANNEL, _CHANNELS, _PLACE = ("channel", "name", "x", "y"), ("channels", "names"), ("interval",)
_NO_MATTER = ("progress", "wave")  # how far it is; the samples behind a name


class Remembered(Generic[Owner, P, T]):
    """A function or method whose results are kept in the cache of its first argument, an evaluation or a part of one."""

    def __init__(self, function: Callable[Concatenate[Owner, P], T], by_cycles: bool, always_kept: bool) -> None:
        functools.update_wrapper(self, function)
        self._function, self._by_cycles = function, by_cycles
        self._signature, self._form = inspect.signature(function), Form(function, always_kept)
        self._what = f"{function.__module__}.{function.__qualname__}"
        for name, parameter in list(self._signature.parameters.items())[1:]:
            if parameter.annotation in (str, str | None) and name not in (*_CHANNEL, *_PLACE, "text"):
                raise TypeError(f"{self._what}: {name} is a word of which nobody knows what it stands for")

    def __call__(self, owner: Owner, /, *args: P.args, **kwargs: P.kwargs) -> T:
        """Return the result, made when it is not there."""
        key, results = self.key(owner, *args, **kwargs), _part(owner, "results")

        def make() -> T:
            return self._function(owner, *args, **kwargs)

        def make_lasting() -> T:
            return kept_or_made(_part(owner, "names").record, self._form, key, make)

        found: T = results.get(key, make_lasting if results.lasting else make)
        return found

    @overload
    def __get__(self, owner: None, kind: Any) -> "Remembered[Owner, P, T]": ...

    @overload
    def __get__(self, owner: Owner, kind: Any) -> Callable[P, T]: ...

    def __get__(self, owner: Any, kind: Any) -> Any:
        return self if owner is None else functools.partial(self, owner)

    def known(self, owner: Owner, /, *args: P.args, **kwargs: P.kwargs) -> bool:
        """Return whether the result is there already."""
        return bool(_part(owner, "results").has(self.key(owner, *args, **kwargs)))

    def key(self, owner: Owner, /, *args: P.args, **kwargs: P.kwargs) -> Key:
        """Return what the result is kept under."""
        bound = self._signature.bind(owner, *args, **kwargs)
        bound.apply_defaults()
        asked = dict(list(bound.arguments.items())[1:])
        parts = [self._what]
        for name, value in asked.items():
            if name not in _NO_MATTER:
                parts += [name, *_told(owner, name, value)]
        study = getattr(owner, "study", None)
        if study is not None:
            source = study.record
            parts += [str(study.highest_order), study.every, str(source.time_base_ppm) if source is not None else ""]
        if self._by_cycles:
            channels = asked.get("channels") or [asked[name] for name in _CHANNEL if name in asked]
            parts += _of_reference(owner, asked.get("reference") or _part(owner, "references").of(channels))
        return tuple(parts)


def remembered(
    by_cycles: bool = False, always_kept: bool = False
) -> Callable[[Callable[Concatenate[Owner, P], T]], Remembered[Owner, P, T]]:
    """Return a decorator: results are kept; with `by_cycles` they depend on whose cycles count for the channels, too.

    Parameters that are words say by their name what they stand for: `channel`, `channels`, `name`, `x` and `y` are channels or
    formulas, `interval` is one (None: the active one); `text` is itself. `progress` and `wave` do not matter.
    `always_kept` are results that are quick only where something dear is there already, which later runs do not have.
    """
    return lambda function: Remembered(function, by_cycles, always_kept)


def _part(owner: Any, name: str) -> Any:
    found = getattr(owner, name, None)
    return found if found is not None else getattr(owner, f"_{name}")


def _told(owner: Any, name: str, value: Any) -> list[str]:
    """Return all that a result can depend on of an argument."""
    if name in _PLACE:
        times = _part(owner, "times")
        start, stop = times.span(value)
        return [start.hex(), stop.hex(), times.origin_s.hex()]
    if name in _CHANNEL:
        return [value, _part(owner, "names").identity(value)] if value is not None else [""]
    if name in _CHANNELS:
        names = _part(owner, "names")
        return [part for one in value for part in (one, names.identity(one))]
    if hasattr(value, "kept_as"):
        return [value.kept_as]
    if isinstance(value, Connection):
        names = _part(owner, "names")
        placed = [part for socket, one in sorted(value.sockets.items()) for part in (socket, one, names.identity(one))]
        return [value.name, value.wiring, *placed, *_of_reference(owner, _part(owner, "references").of_connection(value))]
    if hasattr(value, "told"):
        return list(value.told(_part(owner, "names")))
    if isinstance(value, msgspec.Struct | tuple | list | dict):
        return [identity_of(value)]
    return [repr(value)]


def _of_reference(owner: Any, reference: Any) -> list[str]:
    return list(reference.told(_part(owner, "names")))
