"""What a kind of panel is: what it takes, its options, what it shows, and what draws that."""

import math
from collections.abc import Callable, Iterator, Sequence
from enum import Enum
from importlib import import_module
from typing import Any

import msgspec
from msgspec.structs import replace

from pantelos.engine.evaluation import Evaluation
from pantelos.formula.compiled import Kind
from pantelos.notice import Notice
from pantelos.paper.paper import Box, Paper
from pantelos.progress import Progress
from pantelos.study.shown import Panel

Span = tuple[float, float] | None  # the stretch shown across; None: what is shown at first


class Takes(Enum):
    """What a panel is bound to."""

    CHANNELS = "channels"
    CONNECTION = "a connection"
    EVENTS = "events"
    NOTHING = "nothing"


class PanelOption(msgspec.Struct, frozen=True):
    """One thing that can be chosen of a panel, and (what the menu says, value) per choice; the first counts.

    A field of `Panel`, or one of a part of it such as `spectral.scale`.

    A text of two parts with a stroke between stands in a section of its own.
    """

    field: str
    choices: tuple[tuple[str, Any], ...]
    kinds: tuple[Kind, ...] = ()  # offered only for channels of these kinds; of all, where there are none
    title: str = ""  # of a menu of its own; in the menu itself where empty

    def value(self, panel: Panel) -> Any:
        """Return what a panel has chosen."""
        part, _, field = self.field.rpartition(".")
        return getattr(getattr(panel, part) if part else panel, field)

    def chosen(self, panel: Panel, value: Any) -> Panel:
        """Return the panel with another choice."""
        part, _, field = self.field.rpartition(".")
        if not part:
            return replace(panel, **{field: value})
        return replace(panel, **{part: replace(getattr(panel, part), **{field: value})})


class Entry(msgspec.Struct, frozen=True):
    """Something that is typed: what it is called, an example of it, how it is written of a panel, and what a text makes of it."""

    title: str
    example: str
    text: Callable[[Panel], str]
    taken: Callable[[Panel, str], Panel]  # raises a PantelosError that says what was expected


class Reach(msgspec.Struct, frozen=True):
    """How far a figure can be zoomed across: what it shows at first, all there is, the least, and where it lies in its panel."""

    first: tuple[float, float]
    whole: tuple[float, float]
    least: float
    area: Callable[[Box], Box]
    logarithmic: bool = False

    def value_at(self, share: float, span: tuple[float, float]) -> float:
        """Return what stands at a share of the width of a span."""
        if self.logarithmic:
            return float(span[0] * (span[1] / span[0]) ** share)
        return span[0] + share * (span[1] - span[0])

    def share_of(self, value: float, span: tuple[float, float]) -> float:
        """Return at which share of the width a value stands."""
        if self.logarithmic:
            return math.log(max(value, 1e-300) / span[0]) / math.log(span[1] / span[0])
        return (value - span[0]) / (span[1] - span[0])


class PanelKind(msgspec.Struct, frozen=True):
    """One entry of the registry: what it takes, what it computes, and how that is drawn, without knowing what on."""

    id: str
    title: str
    help: str
    subjects: Callable[[Evaluation], list[str]]
    picture: Callable[[Evaluation, Panel, Progress], Any]
    paint: Callable[[Paper, Box, Any, Span], None] | None = None
    body: str = ""  # the widget of a panel that is not painted, by name: nothing of the interface is loaded for it
    reach: Callable[[Any], Reach] | None = None  # of one that is zoomed like the traces
    explains: bool = False  # whether a click asks what stands behind
    concerns: Callable[[Evaluation, Panel], Iterator[Notice]] | None = None  # what a check says about a panel of it
    leads_to: Callable[[Any], tuple[str, Sequence[float]]] | None = None  # instants to step through, and what the menu calls it
    takes: Takes = Takes.CHANNELS
    n_channels: int = 1
    several: bool = False  # as many channels as are chosen, in one figure
    entries: tuple["Entry", ...] = ()  # what is typed
    edges: Callable[[Panel], tuple[float, float] | None] | None = None  # two places across that are read, where they are shown
    with_edges: Callable[[Panel, tuple[float, float] | None], Panel] | None = None
    follows: Callable[[Panel], tuple[tuple[str, str, str], ...]] | None = None  # (what the menu says, name, formula) over time
    at: Callable[[Panel, Any, Box, float, float], Panel] | None = None  # what a click at a place of the figure makes of the panel
    near: Callable[[Any, float, float], float] | None = None  # what stands out of a picture near a value, within a distance
    roles: tuple[str, ...] = ("across", "up")  # of its channels, where there are several
    over_interval: bool = True
    at_events: bool = False
    options: tuple[PanelOption, ...] = ()
    numbers: str = ""  # what makes tables of it, by name: tables know panels, not the other way
    live: bool = False  # whether it is offered while recording
    narrowest: int = 180
    place: int = 100  # in menus: small ones first

    @property
    def widget(self) -> Any:
        """The class of its body; None for one that is painted."""
        return _named(self.body) if self.body else None

    @property
    def tables(self) -> Any:
        """What makes tables of a panel: of (evaluation, panel, progress); None where it hands over pictures only."""
        return _named(self.numbers) if self.numbers else None


def _named(path: str) -> Any:
    module, _, name = path.partition(":")
    return getattr(import_module(module), name)


def first_of(kind: PanelKind, evaluation: Evaluation, chosen: Sequence[str] = ()) -> Panel:
    """Return a panel of a kind on the chosen channels, else on the first it can show."""
    subjects = kind.subjects(evaluation)
    picked = [name for name in chosen if name in subjects]
    rest = [name for name in subjects if name not in picked]
    search = evaluation.study.searches[-1].name if evaluation.study.searches and kind.at_events else None
    if search is not None and kind.n_channels and not picked:
        picked = [evaluation.study.search(search).channel]
    return Panel(kind.id, tuple([*picked, *rest][: kind.n_channels]), search=search)
