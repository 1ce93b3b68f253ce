"""What a go stands on: a value with the interval in which it lies, limits, and how much of what had to be seen was.
Levels are made here, and nowhere else may a rule write go by itself (a test holds it).
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from enum import StrEnum

from msgspec import Struct

Span = tuple[float, float]
NORMAL_95 = 1.959963984540054


class Level(StrEnum):
    """Worst first when sorted by `rank`."""

    STOP = "stop"
    CARE = "care"
    UNKNOWN = "unknown"
    GO = "go"

    @property
    def rank(self) -> int:
        return list(Level).index(self)

    @property
    def words(self) -> str:
        return "can't tell" if self is Level.UNKNOWN else self.value


GRADES = (Level.GO, Level.CARE, Level.STOP, Level.UNKNOWN)
"""What indices in arrays of grades stand for: of one pad or aperture among many. What a whole set comes to is a
judgement, which names how many of how many.
"""


class Coverage(Struct, frozen=True):
    """How many of what had to be seen were seen. Nothing to see is nothing seen: `of` is at least 1 for a go."""

    what: str
    seen: int
    of: int

    @property
    def complete(self) -> bool:
        return 0 < self.of <= self.seen


def every(what: str, count: int) -> Coverage:
    """All of them, where a rule cannot miss one, such as the lines of a list that it goes through."""
    return Coverage(what, count, count)


def covered(coverage: Iterable[Coverage]) -> bool:
    """True when something had to be seen and all of it was."""
    parts = tuple(coverage)
    return bool(parts) and all(c.complete for c in parts)


def seen(*coverage: Coverage) -> Level:
    """Go when all that had to be seen was and none of it speaks against, else can't tell.

    >>> seen(Coverage("fields", 12, 12)).words, seen(Coverage("fields", 11, 12)).words, seen().words
    ('go', "can't tell", "can't tell")
    """
    return Level.GO if covered(coverage) else Level.UNKNOWN


def weigh(span: Span, limit: Span, coverage: Iterable[Coverage], *, hard: Span | None = None) -> Level:
    """A value that lies in `span` (95 %) against its limits, which are included.

    Go when the whole span is inside and all was seen; stop when the whole span is outside. Between the two nobody can
    tell, unless the rule has a band of care: with `hard`, the limits beyond which it is a stop, it is care while the
    whole span is within them, so that a wider span never makes it better. What is missing leaves can't tell, but for a
    stop that is seen already. A span that is no number tells nothing.

    >>> all_ = [Coverage("pads", 33, 33)]
    >>> [weigh(s, (0.66, math.inf), all_).words for s in ((0.70, 0.74), (0.65, 0.70), (0.5, 0.6))]
    ['go', "can't tell", 'stop']
    >>> [weigh((x, x), (0.66, math.inf), all_, hard=(0.60, math.inf)).words for x in (0.66, 0.65, 0.60, 0.59)]
    ['go', 'care', 'care', 'stop']
    >>> weigh((0.70, 0.74), (0.66, math.inf), [Coverage("pads", 32, 33)]).words
    "can't tell"
    >>> [weigh(s, (0.66, 2), all_, hard=(0.60, 3)).words for s in ((0.64, 0.70), (0.58, 0.76))]
    ['care', "can't tell"]
    """
    low, high = span
    if math.isnan(low) or math.isnan(high) or low > high:
        return Level.UNKNOWN
    least, most = limit if hard is None else hard
    if high < least or low > most:
        return Level.STOP
    if not covered(coverage):
        return Level.UNKNOWN
    if limit[0] <= low and high <= limit[1]:
        return Level.GO
    return Level.CARE if hard is not None and least <= low and high <= most else Level.UNKNOWN


def exactly(value: float) -> Span:
    """The span of a number that is exact, such as a count or a size in a file."""
    return value, value


def around(value: float, sigma: float, step: float = 0.0, freedom: float = math.inf) -> Span:
    """Where 95 % of what the evidence allows lies: `sigma` the standard error (with `freedom` degrees of freedom where
    it comes from few readings: Student's t), `step` the instrument's resolution, which is a uniform error of σ =
    step/√12 (JCGM 100:2008, 4.3.7).

    >>> [round(x, 3) for x in around(10.0, 0.5)], [round(x, 3) for x in around(10.0, 0.0, 1.0)]
    ([9.02, 10.98], [9.434, 10.566])
    >>> [round(x, 2) for x in around(10.0, 0.5, freedom=4)]
    [8.61, 11.39]
    """
    factor = NORMAL_95
    if not math.isinf(freedom):
        from scipy.special import stdtrit

        factor = float(stdtrit(freedom, 0.975))
    half = math.hypot(factor * sigma, NORMAL_95 * step / math.sqrt(12))
    return value - half, value + half
