"""What stands beside arrays of numbers, as attributes or as small arrays: names, units, rates and scales, single or in lists."""

import re
from collections.abc import Mapping, Sequence

import msgspec

from pantelos.formats import vocabulary
from pantelos.formats.header import stated_rate
from pantelos.formats.vocabulary import plain_words

SCALE = frozenset({"scale", "scale factor", "gain", "scales", "scale factors", "gains"})
ZERO = frozenset({"offset", "add offset", "zero", "offsets"})
FIRST = frozenset(
    [
        "t0",
        "t 0",
        "t0 s",
        "tstart",
        "t start",
        "t start s",
        "start s",
        "start time s",
        "time offset",
        "first sample",
        "x0",
        "xzero",
    ]
)
LONGEST_LIST = 4096  # values: more are samples


class Rate(msgspec.Struct, frozen=True):
    """A rate that is stated, and where."""

    hz: float
    words: str
    own: bool = True  # for this array alone, rather than for all in some place


class Beside(msgspec.Struct, frozen=True):
    """What one place says: of a file, a group or a dataset."""

    values: Mapping[str, str] = msgspec.field(default_factory=dict)
    lists: Mapping[str, tuple[str, ...]] = msgspec.field(default_factory=dict)

    def of(self, words: frozenset[str], at: int, n: int) -> str | None:
        """Return what is said under one of some keys of the one at place `at` of `n`: from a list of n, or for all of them."""
        for key, texts in self.lists.items():
            if _named(key, words) and len(texts) == n:
                return texts[at]
        for key, text in self.values.items():
            if _named(key, words):
                parts = re.split(r"\s*[,;|\t]\s*", text.strip("[]() "))
                return parts[at].strip("'\" ") if n > 1 and len(parts) == n else text
        return None

    def rate(self, at: int, n: int) -> "Rate | None":
        """Return the rate of the one at place `at` of `n`, or None."""
        pairs = [(key, texts[at]) for key, texts in self.lists.items() if len(texts) == n]
        singular = [
            (re.sub(r"(?i)s$", "", key) if plain_words(key) not in vocabulary.RATE | vocabulary.INTERVAL else key, text)
            for key, text in pairs
        ]
        listed = stated_rate(singular, ".")
        found = listed or stated_rate(list(self.values.items()), ".")
        return Rate(*found, own=listed is not None or n == 1) if found is not None else None


def is_said(key: str) -> bool:
    """Return whether a key is one under which lists are looked for."""
    known = (vocabulary.NAMES, vocabulary.UNITS, vocabulary.RATE, vocabulary.INTERVAL, SCALE, ZERO, FIRST)
    return any(_named(key, words) for words in known)


def _named(key: str, words: frozenset[str]) -> bool:
    plain = plain_words(key)
    return plain in words or plain.removesuffix("s") in words


Scopes = Sequence[tuple[Beside, Sequence[int]]]  # from the nearest place to the widest, each with the numbers it speaks of


def said_of(at: int, scopes: Scopes, words: frozenset[str]) -> str | None:
    """Return what the nearest place says of array `at` under one of some keys, or None."""
    for beside, members in scopes:
        if at in members and (text := beside.of(words, members.index(at), len(members))) is not None:
            return text
    return None


def rate_of(at: int, scopes: Scopes) -> Rate | None:
    """Return the rate that the nearest place states for array `at`, or None."""
    for beside, members in scopes:
        if at in members and (rate := beside.rate(members.index(at), len(members))) is not None:
            return rate
    return None


def number(text: str | None, without: float) -> float:
    """Return the number in a text, or another where there is none."""
    try:
        return float(text) if text is not None else without
    except ValueError:
        return without
