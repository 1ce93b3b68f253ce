"""How long joints by hand take, from the shop's own log."""

from __future__ import annotations

import math
from collections.abc import Sequence

USUAL_S, PRIOR, SHORTEST_S, LONGEST_S = 8.0, 4.0, 1.0, 300.0
"""Seconds a joint usually takes, as if it had been seen in so many parts; less than that is no soldering, longer gaps
are pauses.
"""


def seconds_a_joint(timed: Sequence[tuple[int, float]]) -> float:
    """Seconds a joint takes here, from parts with their joints and the seconds since the one before: the geometric mean
    (handwork is log-normal), shrunk to the usual one while few were timed.

    >>> seconds_a_joint([]), round(seconds_a_joint([(2, 40.0)] * 40), 1)
    (8.0, 18.4)
    """
    each = [seconds / joints for joints, seconds in timed if joints and seconds <= LONGEST_S]
    logs = [math.log(s) for s in each if s >= SHORTEST_S]
    return round(math.exp((PRIOR * math.log(USUAL_S) + sum(logs)) / (PRIOR + len(logs))), 6)
