"""What is met between the rows of a text and left out, counted while it is read."""

from collections.abc import Callable, Sequence

import msgspec

from pantelos.formats import remarks
from pantelos.notice import Notice

_WORDS = 3  # that are told
_LOOKED_AT = 10_000


class Tally(msgspec.Struct):
    """Counts of one reading."""

    beyond: dict[str, int] = msgspec.field(default_factory=dict)  # samples beyond the range, by channel
    n_comments: int = 0
    headers: list[int] = msgspec.field(default_factory=list)  # lines in which the header stands again
    behind: tuple[int, int, str] | None = None  # lines behind the rows: how many, the first, its text

    between: dict[str, int] = msgspec.field(default_factory=dict)  # values between the rows of a slow channel
    words: dict[str, tuple[int, int, tuple[str, ...]]] = msgspec.field(
        default_factory=dict
    )  # by channel: cells, the first line, and what they hold

    def take_words(self, channel: str, found: Sequence[str], line_of: Callable[[], int]) -> None:
        """Count cells of a channel that hold words in place of numbers."""
        n, line, known = self.words.get(channel, (0, 0, ()))
        new = tuple(dict.fromkeys((*known, *found[:_LOOKED_AT])))[:_WORDS]
        self.words[channel] = n + len(found), line or line_of(), new

    @property
    def told(self) -> tuple[Notice, ...]:
        """What is to be said of it."""
        said = [remarks.repeated_header(len(self.headers), self.headers[0])] if self.headers else []
        said += [remarks.behind_the_rows(*self.behind)] if self.behind else []
        said += [remarks.comments(self.n_comments)] if self.n_comments else []
        said += [remarks.between_rows(channel, n) for channel, n in self.between.items() if n]
        said += [remarks.words_for_numbers(channel, *what) for channel, what in self.words.items()]
        return tuple(said)
