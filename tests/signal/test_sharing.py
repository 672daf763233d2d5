"""Work on two processors: all of it is done once, and nothing goes on after an error."""

import threading
import time
from functools import partial

import pytest

from pantelos.signal.sharing import both, each


def test_each_piece_is_done_once_and_work_within_is_not_shared_again() -> None:
    done, threads = list[int](), set[int]()

    def work(k: int) -> None:
        both(lambda: threads.add(threading.get_ident()), lambda: threads.add(threading.get_ident()))
        done.append(k)

    each([partial(work, k) for k in range(500)])
    assert sorted(done) == list(range(500)) and len(threads) <= 2
    ran = set[int]()
    both(lambda: ran.add(threading.get_ident()), lambda: ran.add(threading.get_ident()))
    assert len(ran) == 2  # shared again afterwards
    each([])


def test_an_error_ends_the_work_of_both_and_is_told() -> None:
    done, begun = list[int](), threading.Barrier(2)

    def fails() -> None:
        begun.wait()
        raise ValueError("told")

    def lasts(k: int) -> None:
        if k == 0:
            begun.wait()
        time.sleep(0.01)
        done.append(k)

    with pytest.raises(ValueError, match="told"):
        each([fails, *(partial(lasts, k) for k in range(300))])
    assert len(done) < 300
