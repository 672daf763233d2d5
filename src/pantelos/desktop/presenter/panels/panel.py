"""What a kind of panel is: what it takes, its options, what it shows, and what draws that."""

from collections.abc import Callable, Sequence
from enum import Enum
from importlib import import_module
from typing import Any

import msgspec

from pantelos.engine.evaluation import Evaluation
from pantelos.formula.compiled import Kind
from pantelos.progress import Progress
from pantelos.study.model import Panel


class Takes(Enum):
    """What a panel is bound to."""

    CHANNELS = "channels"
    CONNECTION = "a connection"
    EVENTS = "events"
    NOTHING = "nothing"


class Option(msgspec.Struct, frozen=True):
    """One thing that can be chosen of a panel: a field of `Panel`, and (what the menu says, value) per choice; the first counts.

    A text of two parts with a stroke between stands in a section of its own.
    """

    field: str
    choices: tuple[tuple[str, Any], ...]
    kinds: tuple[Kind, ...] = ()  # offered only for channels of these kinds; of all, where there are none


class PanelKind(msgspec.Struct, frozen=True):
    """One entry of the registry. Painter and body are given by name, so that nothing of the interface is loaded for them."""

    id: str
    title: str
    help: str
    subjects: Callable[[Evaluation], list[str]]
    picture: Callable[[Evaluation, Panel, Progress], Any]
    painter: str | Callable[..., None] = ""  # (QPainter, QRectF, picture, theme, span in Hz or None)
    body: str = ""  # the widget of a panel that is not painted
    takes: Takes = Takes.CHANNELS
    n_channels: int = 1
    over_interval: bool = True
    at_events: bool = False
    options: tuple[Option, ...] = ()
    narrowest: int = 180
    place: int = 100  # in menus: small ones first

    @property
    def paint(self) -> Callable[..., None]:
        """What draws its picture."""
        found: Callable[..., None] = _named(self.painter) if isinstance(self.painter, str) else self.painter
        return found

    @property
    def widget(self) -> Any:
        """The class of its body; None for one that is painted."""
        return _named(self.body) if self.body else None


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
