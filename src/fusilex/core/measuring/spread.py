"""One measurement over many boards: the odd one, and how far the lot is from its limits."""

from __future__ import annotations

import math

import numpy as np
from msgspec import Struct
from numpy.typing import ArrayLike, NDArray

ODD_BEYOND, ODD_FROM = 3.5, 6
CPK_FROM = 20
GOOD_CPK = 1.33


def robust_z(values: ArrayLike) -> NDArray[np.float64]:
    """How odd each of n values is among the others: 0.6745 (x − median) / MAD (Iglewicz and Hoaglin 1993). Where more
    than half are alike, so that MAD is 0, the mean distance from the median stands in: (x − median) / 1.2533 MeanAD.

    Returns n numbers; NaN for fewer than six values, 0 where all are alike.

    >>> [round(float(z), 2) for z in robust_z([1.0, 1.1, 0.9, 1.0, 1.05, 2.0])]
    [-0.34, 1.01, -1.69, -0.34, 0.34, 13.15]
    """
    x = np.asarray(values, dtype=float)
    if len(x) < ODD_FROM:
        return np.full(len(x), np.nan)
    off = x - np.median(x)
    spread = float(np.median(np.abs(off)))
    if spread > 1e-12 * max(1e-300, float(np.max(np.abs(x)))):
        return np.asarray(0.6745 * off / spread)
    mean = float(np.mean(np.abs(off)))
    return np.asarray(off / (1.253314 * mean)) if mean > 0 else np.zeros(len(x))


def is_odd(z: float) -> bool:
    """True for a value that does not belong with the others."""
    return bool(abs(z) > ODD_BEYOND)


class Capability(Struct, frozen=True):
    """Cpk of a lot, and the least it may be with 95 % confidence."""

    cpk: float
    least: float
    count: int


def capability(values: ArrayLike, low: float, high: float) -> Capability | None:
    """Cpk = min(high − mean, mean − low) / 3s; None below twenty values, where it means nothing, and without a limit.

    A limit that is not there is infinite. The lower bound is Bissell's: Cpk − 1.645 √(1/9n + Cpk²/2(n − 1)).

    >>> found = capability([9.0, 10.0, 11.0, 10.0] * 5, 5.0, 16.0)
    >>> round(found.cpk, 3), round(found.least, 3)
    (2.297, 1.672)
    """
    x = np.asarray(values, dtype=float)
    n = len(x)
    if n < CPK_FROM or (math.isinf(low) and math.isinf(high)):
        return None
    mean, s = float(np.mean(x)), float(np.std(x, ddof=1))
    room = min(high - mean, mean - low)
    if s == 0:
        whole = math.inf if room > 0 else -math.inf
        return Capability(whole, whole, n)
    cpk = room / (3 * s)
    return Capability(cpk, cpk - 1.645 * math.sqrt(1 / (9 * n) + cpk**2 / (2 * (n - 1))), n)
