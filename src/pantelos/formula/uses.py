"""What formulas use: channels, intervals, events, functions; and the same formulas when those are called by other names.

A name within a call may stand for an interval, for events or for a word of the function: its parameters say which.
"""

from collections.abc import Iterator, Sequence
from functools import lru_cache

from pantelos.formula.functions import function_named
from pantelos.formula.functions.function import ArgumentRole
from pantelos.formula.nodes import Call, Name, Node, Pieces, Quoted
from pantelos.formula.syntax import nodes_of, plain


def _named(text: str) -> Iterator[tuple[str, Node, ArgumentRole]]:
    """Yield every name in a formula that is not a function's, its place, and what it stands for."""
    other: dict[int, ArgumentRole] = {}  # nodes that are no channels, by identity
    for node in nodes_of(text):
        if isinstance(node, Call | Pieces):
            function = function_named(node.function.text if isinstance(node, Call) else node.partition.text)
            for k, argument in enumerate(node.arguments):
                parameter = function.parameter(k) if function is not None else None
                role = parameter.role_of(argument) if parameter is not None else ArgumentRole.VALUE
                if role is not ArgumentRole.VALUE:
                    other[id(argument)] = role
            if isinstance(node, Call) and node.interval is not None:
                yield plain(node.interval), node.interval, ArgumentRole.PLACE
        if isinstance(node, Name | Quoted):
            yield node.text, node, other.get(id(node), ArgumentRole.VALUE)


@lru_cache(maxsize=2048)
def _names(text: str, role: ArgumentRole) -> frozenset[str]:
    return frozenset(name for name, _, stands_for in _named(text) if stands_for in _MAY_BE[role])


# A moment is that of an interval or of events: which of them, only the study knows.
_MAY_BE = {
    ArgumentRole.VALUE: (ArgumentRole.VALUE,),
    ArgumentRole.PLACE: (ArgumentRole.PLACE, ArgumentRole.MOMENT),
    ArgumentRole.EVENTS: (ArgumentRole.EVENTS, ArgumentRole.MOMENT),
}


def names_used(text: str) -> frozenset[str]:
    """Return the channels and formulas a formula refers to; none where it cannot be read."""
    return _names(text, ArgumentRole.VALUE)


def places_used(text: str) -> frozenset[str]:
    """Return the intervals a formula names."""
    return _names(text, ArgumentRole.PLACE)


def events_used(text: str) -> frozenset[str]:
    """Return the event searches a formula names."""
    return _names(text, ArgumentRole.EVENTS)


@lru_cache(maxsize=2048)
def readings_taken(text: str) -> frozenset[str]:
    """Return the readings a formula takes over an interval, so not once per piece."""
    calls = [node for node in nodes_of(text) if isinstance(node, Call) and node.over is None]
    return frozenset(call.function.text for call in calls if _takes_reading(call))


@lru_cache(maxsize=2048)
def places_of_readings(text: str) -> tuple[frozenset[str], bool]:
    """Return the intervals that readings of a formula name, and whether one takes whichever interval is active."""
    calls = [node for node in nodes_of(text) if isinstance(node, Call) and node.over is None and _takes_reading(node)]
    named = frozenset(plain(call.interval) for call in calls if call.interval is not None)
    return named, any(call.interval is None for call in calls)


def _takes_reading(call: Call) -> bool:
    function = function_named(call.function.text)
    if function is None or function.reading is None:
        return False
    return function.make is None or call.interval is not None or call.over is not None


@lru_cache(maxsize=2048)
def depends_on_study(text: str) -> bool:
    """Return whether a formula depends on more than its channels: on intervals, or on whose cycles count."""
    if places_used(text):
        return True
    calls = [node for node in nodes_of(text) if isinstance(node, Call | Pieces)]
    for call in calls:
        function = function_named(call.function.text if isinstance(call, Call) else call.partition.text)
        if function is not None and (function.placed or (isinstance(call, Call) and _takes_reading(call))):
            return True
    return False


def with_name_changed(text: str, old: str, new: str) -> str:
    """Return a formula in which a channel or formula is called by another name."""
    return _rewritten(text, old, ArgumentRole.VALUE, new)


def with_place_changed(text: str, old: str, new: str) -> str:
    """Return a formula in which an interval is called by another name; what stands in quotation marks otherwise stays."""
    return _rewritten(text, old, ArgumentRole.PLACE, f'"{new}"')


def with_events_changed(text: str, old: str, new: str) -> str:
    """Return a formula in which an event search is called by another name."""
    return _rewritten(text, old, ArgumentRole.EVENTS, f'"{new}"')


def _rewritten(text: str, old: str, role: ArgumentRole, new: str) -> str:
    nodes: Sequence[Node] = [node for name, node, stands_for in _named(text) if name == old and stands_for in _MAY_BE[role]]
    for node in sorted(nodes, key=lambda node: node.start, reverse=True):
        text = text[: node.start] + new + text[node.stop :]
    return text
