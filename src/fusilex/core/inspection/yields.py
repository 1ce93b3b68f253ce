"""Yield with an interval that is honest about small batches."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

Z95 = 1.959963984540054


@dataclass(frozen=True)
class Share:
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
