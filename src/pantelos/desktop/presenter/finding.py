"""Search over what the window can do and what the study holds: by title, by help, by the words that the trade has for it."""

import difflib
from collections.abc import Callable, Sequence

import msgspec

# what practitioners call it: words typed, and what of a title is meant, several behind commas
_TRADE = """
fft dft: spectrum
thd distortion: harmonics, spectrum
xy x-y lissajous: x–y
cursor cursors: edge
marker: edge, event
bode gain frf transfer: output against input
trigger threshold: event
filter lowpass smooth: functions, derive
average: functions, spectrum
math formula: derive, formulas, functions
annotation comment: note
print printer: pdf
excel spreadsheet: xlsx, tables
waterfall sonogram: spectrogram
vector: phasors
distribution: histogram
crop cut trim: keep only
merge append: join
import: open record
preferences options: settings
colours colors: light, settings
screenshot image: picture
csv: samples, tables
offset: mean, zero
efficiency losses: power chain
segment region gate: interval
transducer clamp shunt scaling connection: wiring
warning warnings errors: checks
"""
TRADE_WORDS = {
    word: tuple(meant.strip() for meant in right.split(","))
    for left, _, right in (line.partition(":") for line in _TRADE.strip().splitlines())
    for word in left.split()
}
_NEAR = 0.75


class Findable(msgspec.Struct, frozen=True):
    """Something that can be found and done."""

    title: str
    explained: str
    run: Callable[[], None]
    key: str = ""
    enabled: bool = True

    @property
    def words(self) -> list[str]:
        """The words of its title."""
        return self.title.lower().replace("…", "").replace("“", " ").replace("”", " ").split()


def rank(words: Sequence[str], title: str, explained: str) -> int | None:
    """Return how near something is to the words typed, small is nearer; None where it is not meant."""
    title, own = title.lower(), title.lower().replace("…", "").split()
    if own == list(words):
        return -1
    if all(word in own for word in words):
        return 0
    if all(any(other.startswith(word) for other in own) for word in words):
        return 1
    if all(word in title for word in words):
        return 2
    if all(word in f"{title} {explained.lower()}" for word in words):
        return 3
    return 4 if words and all(_means(word, title, explained.lower()) for word in words) else None


def _means(word: str, title: str, explained: str) -> bool:
    """Return whether a word, or what the trade means by it, stands in a title; in the help only as it was typed."""
    return word in f"{title} {explained}" or any(meant in title for meant in TRADE_WORDS.get(word, ()))


def search(things: Sequence[Findable], text: str) -> list[Findable]:
    """Return what is meant by a text, the nearest first; where nothing is, what is spelled nearly so."""
    words = text.lower().split()
    ranked = [(at, thing) for thing in things if (at := rank(words, thing.title, thing.explained)) is not None]
    if ranked:
        return [thing for _, thing in sorted(ranked, key=lambda pair: pair[0])]
    known = sorted({word for thing in things for word in thing.words} | set(TRADE_WORDS))
    near = [difflib.get_close_matches(word, known, 1, _NEAR) for word in words]
    return search(things, " ".join(one[0] for one in near)) if words and all(near) and [n[0] for n in near] != words else []
