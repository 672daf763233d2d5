"""Two halves of a long computation on two processors: NumPy lets go of the interpreter while it computes."""

import sys
import threading
from collections.abc import Callable, Sequence
from functools import cache
from typing import TYPE_CHECKING, TypeVar

if TYPE_CHECKING:
    from concurrent.futures import ThreadPoolExecutor

T = TypeVar("T")
U = TypeVar("U")
WORTH_SHARING = 1 << 18  # samples

# How long a thread may keep the interpreter: between two steps of NumPy the other one must not wait longer than a step takes.
_SWITCH_S = 5e-5

_here = threading.local()


def _mark() -> None:
    _here.helps = True
    sys.setswitchinterval(min(_SWITCH_S, sys.getswitchinterval()))


@cache
def _helpers() -> "ThreadPoolExecutor":
    from concurrent.futures import ThreadPoolExecutor  # a short command never shares, and starts without it

    return ThreadPoolExecutor(2, thread_name_prefix="half", initializer=_mark)


def both(first: Callable[[], T], second: Callable[[], U]) -> tuple[T, U]:
    """Return what two pieces of work give, done at the same time; one after the other within such work, which never waits."""
    if getattr(_here, "helps", False):
        return first(), second()
    other = _helpers().submit(second)
    try:
        done = first()
    finally:
        found = other.result()  # nothing goes on behind the back of an error
    return done, found


def each(tasks: Sequence[Callable[[], None]]) -> None:
    """Do pieces of work, two at a time: whoever is done takes the next one, so the longest should come first."""
    left = iter(tasks)  # a step of it lets no other thread in between
    within = getattr(_here, "helps", False)

    def work() -> None:
        _here.helps = True  # there is work for both already
        try:
            for task in left:
                task()
        finally:
            for _ in left:  # nothing of it goes on after an error
                pass

    try:
        both(work, work)
    finally:
        _here.helps = within
