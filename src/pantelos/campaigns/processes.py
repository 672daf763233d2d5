"""Processes that begin afresh and know nothing of the script that wanted them.

A process started in the usual way runs the main script once more, up to what guards it (`if __name__ == "__main__":`); without a
guard it would run the whole script, the campaign in it too. What is done to a record needs nothing of that script.
"""

import contextlib
import multiprocessing.context
import sys
from collections.abc import Iterator
from types import ModuleType
from typing import Any

_MAIN = "__main__"


@contextlib.contextmanager
def _no_script() -> Iterator[None]:
    """Let no main module be known, so that none is run again."""
    main = sys.modules[_MAIN]
    sys.modules[_MAIN] = ModuleType(_MAIN)
    try:
        yield
    finally:
        sys.modules[_MAIN] = main


class _Process(multiprocessing.context.ForkServerProcess):
    @staticmethod
    def _Popen(process_obj: Any) -> Any:
        with _no_script():
            return multiprocessing.context.ForkServerProcess._Popen(process_obj)


class Afresh(multiprocessing.context.ForkServerContext):
    """The context of such processes."""

    Process = _Process
