"""What a check is."""

from collections.abc import Callable, Iterator

import msgspec

from pantelos.engine.evaluation import Evaluation
from pantelos.notice import Notice


class Check(msgspec.Struct, frozen=True):
    """One entry of the registry: what it holds the study against, and how it finds what is wrong."""

    id: str
    title: str
    find: Callable[[Evaluation], Iterator[Notice]]
    place: int = 100  # in the list of findings: small ones first
