"""Two halves of a long computation on two processors: NumPy lets go of the interpreter while it computes."""

import sys
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

T = TypeVar("T")
WORTH_SHARING = 1 << 18  # samples

# How long a thread may keep the interpreter: between two steps of NumPy the other one must not wait longer than a step takes.
_SWITCH_S = 5e-5

_here = threading.local()


def _mark() -> None:
    _here.helps = True
    sys.setswitchinterval(min(_SWITCH_S, sys.getswitchinterval()))


_HELPERS = ThreadPoolExecutor(2, thread_name_prefix="half", initializer=_mark)


def both(first: Callable[[], T], second: Callable[[], T]) -> tuple[T, T]:
    """Return what two pieces of work give, done at the same time; one after the other within such work, which never waits."""
    if getattr(_here, "helps", False):
        return first(), second()
    other = _HELPERS.submit(second)
    try:
        done = first()
    finally:
        found = other.result()  # nothing goes on behind the back of an error
    return done, found
