"""Functions that are loops over numbers, compiled to machine code: for what NumPy could only do in many passes over memory.

They let go of the interpreter while they run. Their machine code is kept until the module they stand in changes; when what is set
here changes, remove it (`make clean`). Numba is loaded when the first one is called: no other command waits for it.
"""

from collections.abc import Callable
from functools import cache, wraps
from typing import ParamSpec

import numpy as np

P = ParamSpec("P")


def compiled(signature: str, reorder: bool = False) -> Callable[[Callable[P, None]], Callable[P, None]]:
    """Return a decorator for a function of arrays of just these types, which fills in one of them. Called without keywords.

    Division by zero gives what it gives in NumPy. `reorder`: sums may be added up in any order, so that several are at once.
    """
    settings = {"nogil": True, "error_model": "numpy", "fastmath": {"reassoc"} if reorder else False}

    def decorate(loops: Callable[P, None]) -> Callable[P, None]:
        @cache
        def made() -> Callable[P, None]:
            from numba import njit

            try:
                return njit(signature, cache=True, **settings)(loops)  # type: ignore[no-any-return]
            except RuntimeError:  # there is nowhere to keep machine code: it is made anew in each process
                return njit(signature, **settings)(loops)  # type: ignore[no-any-return]

        @wraps(loops)
        def called(*args: P.args, **kwargs: P.kwargs) -> None:
            made()(*(_writable(one) for one in args), **kwargs)  # type: ignore[arg-type]

        return called

    return decorate


def _writable(one: object) -> object:
    """Return an array that may be written to, as the types say: one that is mapped from a file may not."""
    return one.copy() if isinstance(one, np.ndarray) and not one.flags.writeable else one
