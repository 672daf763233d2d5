"""The columns that a sheet is set in on paper."""

_GUTTER = 18.0  # points between two
_LINE = 13.0  # that one may be longer than the others


class PageColumns:
    """The columns that a sheet is set in: where the present one lies, and how far down each may reach for all to be alike."""

    def __init__(self, margin: float, page_width: float) -> None:
        self._margin, self._page_width = margin, page_width
        self.n, self._k, self.top, self._height, self._deepest = 1, 0, 0.0, 0.0, 0.0

    @property
    def width(self) -> float:
        """How wide one is."""
        return (self._page_width - (self.n - 1) * _GUTTER) / self.n

    @property
    def left(self) -> float:
        """Where the present one begins."""
        return self._margin + self._k * (self.width + _GUTTER)

    def floor(self, bottom: float) -> float:
        """Return how far down the present one may reach on a page of that bottom."""
        alike = self.top + self._height / self.n + _LINE
        return bottom if self._k + 1 == self.n else min(bottom, alike)

    def part(self, n: int, top: float, height: float) -> None:
        """Begin so many columns for what is so high in one."""
        self.n, self._k, self.top, self._height, self._deepest = n, 0, top, height, top

    def begin(self, top: float, y: float) -> None:
        """Begin with the first column again on a new page, the last one having come as far as `y`."""
        self._height -= y - self.top + self._k * (self._deepest - self.top)
        self._k, self.top, self._deepest = 0, top, top

    def next(self, y: float) -> bool:
        """Go on with the next column, the present one having come as far as `y`; return whether there is one."""
        if self._k + 1 == self.n:
            return False
        self._k, self._deepest = self._k + 1, max(self._deepest, y)
        return True

    def join(self, y: float) -> float:
        """Go on over the whole width; return where, the present one having come as far as `y`."""
        self.n, self._k = 1, 0
        return max(self._deepest, y)
