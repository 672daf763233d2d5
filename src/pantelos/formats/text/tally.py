"""What is met between the rows of a text and left out, counted while it is read."""

import msgspec

from pantelos.formats import remarks
from pantelos.notice import Notice


class Tally(msgspec.Struct):
    """Counts of one reading."""

    beyond: dict[str, int] = msgspec.field(default_factory=dict)  # samples beyond the range, by channel
    n_comments: int = 0
    headers: list[int] = msgspec.field(default_factory=list)  # lines in which the header stands again
    behind: tuple[int, int, str] | None = None  # lines behind the rows: how many, the first, its text

    @property
    def told(self) -> tuple[Notice, ...]:
        """What is to be said of it."""
        said = [remarks.repeated_header(len(self.headers), self.headers[0])] if self.headers else []
        said += [remarks.behind_the_rows(*self.behind)] if self.behind else []
        said += [remarks.comments(self.n_comments)] if self.n_comments else []
        return tuple(said)
