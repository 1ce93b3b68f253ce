"""What a good board costs, and from how many on making them here pays."""

from __future__ import annotations

import math

from msgspec import Struct


class Cost(Struct, frozen=True):
    """Sums of a batch in one currency: parts that are on boards, parts lost or replaced, consumables, work (`minutes`
    at a rate), tooling; `good` boards came of it. `faults` is what of these the faults took.
    """

    parts: float
    lost: float
    consumables: float
    minutes: float
    rate_per_h: float
    tooling: float
    good: int
    faults: float = 0.0

    @property
    def work(self) -> float:
        return self.minutes / 60 * self.rate_per_h

    @property
    def total(self) -> float:
        return self.parts + self.lost + self.consumables + self.work + self.tooling

    @property
    def per_good(self) -> float:
        """(parts + loss + consumables + time × rate + tooling) / good; infinite while none is good.

        >>> Cost(100.0, 5.0, 10.0, 120.0, 30.0, 25.0, 10).per_good
        20.0
        """
        return self.total / self.good if self.good else math.inf

    @property
    def each(self) -> float:
        """What one more good board costs: all but the tooling."""
        return (self.total - self.tooling) / self.good if self.good else math.inf


class BreakEven(Struct, frozen=True):
    """From how many boards on (inclusive) the first way is no dearer; `always` and `never` where no number changes
    that.
    """

    boards: int | None
    always: bool = False


def break_even(once: float, each: float, outside_once: float, outside_each: float) -> BreakEven:
    """Making `n` costs once + n × each here and outside_once + n × outside_each there.

    Where a board is cheaper here, from so many on it pays here; where it is dearer here, up to so many: `boards` is
    then the last number for which it still does, negative for how it is counted down.

    >>> break_even(300.0, 8.0, 100.0, 12.0).boards, break_even(10.0, 8.0, 100.0, 12.0).always
    (50, True)
    >>> break_even(10.0, 15.0, 100.0, 12.0).boards, break_even(300.0, 15.0, 100.0, 12.0).boards is None
    (-30, True)
    """
    if not all(math.isfinite(v) for v in (once, each, outside_once, outside_each)):
        raise ValueError("a break-even of numbers that are not known")
    ahead, saved = outside_once - once, outside_each - each
    if saved >= 0 and ahead >= 0:
        return BreakEven(1, True)
    if saved > 0:
        return BreakEven(math.ceil(-ahead / saved - 1e-9))
    if ahead > 0:
        last = math.floor(ahead / -saved + 1e-9)
        return BreakEven(-last if last else None)
    return BreakEven(None)
