"""Yield with an interval that is honest about small batches."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from msgspec import Struct

Z95 = 1.959963984540054


class Share(Struct, frozen=True):
    """A share of n with its 95 % Wilson score interval."""

    good: int
    n: int
    low: float
    high: float

    @property
    def value(self) -> float:
        return self.good / self.n if self.n else float("nan")


def wilson(good: int, n: int, z: float = Z95) -> Share:
    """Wilson score interval of a proportion (Wilson 1927). n = 0 gives (0, 1). Raises ValueError unless 0 ≤ good ≤ n.

    >>> share = wilson(10, 12)
    >>> round(share.low, 3), round(share.high, 3)
    (0.552, 0.953)
    """
    if not 0 <= good <= n:
        raise ValueError(f"{good} of {n} is no share")
    if n == 0:
        return Share(0, 0, 0.0, 1.0)
    p = good / n
    middle = (p + z * z / (2 * n)) / (1 + z * z / n)
    half = z * np.sqrt(p * (1 - p) / n + z * z / (4 * n * n)) / (1 + z * z / n)
    return Share(good, n, max(0.0, float(middle - half)), min(1.0, float(middle + half)))


SMALL = 30
"""Boards below which an interval says more than the share."""


def exact(good: int, n: int, sure: float = 0.95) -> Share:
    """Clopper and Pearson's exact interval (1934). n = 0 gives (0, 1). Raises ValueError unless 0 ≤ good ≤ n.

    >>> share = exact(10, 12)
    >>> round(share.low, 3), round(share.high, 3)
    (0.516, 0.979)
    """
    from scipy.special import betaincinv

    if not 0 <= good <= n:
        raise ValueError(f"{good} of {n} is no share")
    tail = (1 - sure) / 2
    low = float(betaincinv(good, n - good + 1, tail)) if good else 0.0
    high = float(betaincinv(good + 1, n - good, 1 - tail)) if good < n else 1.0
    return Share(good, n, low, high)


class Rate(Struct, frozen=True):
    """A number with what it lies between, 95 %."""

    value: float
    low: float
    high: float


def per_million(faults: int, opportunities: int) -> Rate:
    """Faults per million opportunities, with the exact interval of the share. Raises ValueError without opportunities.

    >>> per_million(3, 1500).value
    2000.0
    """
    if opportunities <= 0:
        raise ValueError("no opportunities, no rate")
    found = exact(min(faults, opportunities), opportunities)
    return Rate(1e6 * faults / opportunities, 1e6 * found.low, 1e6 * found.high)


def rolled(yields: Sequence[Share]) -> Rate:
    """Rolled yield: the product of the stations' yields. Its interval, by Bonferroni, is the product of ends that each
    hold with so much more certainty that all of them together hold with 95 %.

    >>> both = rolled([exact(9, 10), exact(8, 10)])
    >>> round(both.value, 2), both.low < 0.72 < both.high
    (0.72, True)
    """
    each = [exact(share.good, share.n, 1 - 0.05 / len(yields)) for share in yields]
    value, low, high = (math.prod(ends) for ends in zip(*((s.value, s.low, s.high) for s in each), strict=True))
    return Rate(value, low, high)
