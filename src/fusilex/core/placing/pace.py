"""How fast hands place, learnt from what they did: a usual time by body, shrunk to what is common while little is
known, and when the rest will be done.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from msgspec import Struct

USUAL_S, USUAL_SPREAD, PRIOR = 11.0, 0.5, 5.0
LONGEST_S, SHORTEST_S = 120.0, 0.5
FETCH_S, REACH_S = 5.0, 2.0
"""Seconds to take up another bin's parts, and to go on to another board."""
Z95 = 1.96


class Pace(Struct, frozen=True):
    """Seconds a part takes: the middle, the spread of its logarithm, and how many were timed."""

    middle_s: float
    spread: float
    timed: int

    @property
    def mean_s(self) -> float:
        """The mean of a log-normal: middle · exp(spread² / 2)."""
        return self.middle_s * math.exp(self.spread**2 / 2)

    @property
    def variance(self) -> float:
        return self.mean_s**2 * (math.exp(self.spread**2) - 1)


def paces(timed: Sequence[tuple[str, float]]) -> dict[str, Pace]:
    """Paces by body, and of all under '', from (body, seconds): log-normal, each shrunk to that of all and that to the
    usual one as if it had been seen in `PRIOR` parts. Pauses of over two minutes do not count.

    >>> round(paces([])[""].middle_s, 6)
    11.0
    """
    own: dict[str, list[float]] = {}
    for body, seconds in timed:
        if SHORTEST_S <= seconds <= LONGEST_S:
            own.setdefault(body, []).append(math.log(seconds))
    every = [value for values in own.values() for value in values]
    whole = _shrunk(every, math.log(USUAL_S), USUAL_SPREAD)
    found = {"": Pace(math.exp(whole[0]), whole[1], len(every))}
    for body, values in own.items():
        middle, spread = _shrunk(values, *whole)
        found[body] = Pace(math.exp(middle), spread, len(values))
    return found


def _shrunk(values: Sequence[float], middle: float, spread: float) -> tuple[float, float]:
    n = len(values)
    mean = (sum(values) + PRIOR * middle) / (n + PRIOR)
    squares = sum((v - mean) ** 2 for v in values) + PRIOR * (spread**2 + (middle - mean) ** 2)
    return mean, math.sqrt(squares / (n + PRIOR))


def rest_of(bodies: Mapping[str, int], known: Mapping[str, Pace]) -> tuple[float, float, float]:
    """Seconds that parts still to come take (count by body), and what 95 % stay between: the parts' own scatter, and
    that the pace itself is known from few.
    """
    mean = variance = 0.0
    for body, count in bodies.items():
        pace = known.get(body, known[""])
        mean += count * pace.mean_s
        variance += count * pace.variance
        variance += (count * pace.mean_s * pace.spread) ** 2 / (pace.timed + PRIOR)
    off = Z95 * math.sqrt(variance)
    return mean, max(0.0, mean - off), mean + off


def rounds(lines: Mapping[str, int], boards: int, middle_s: float) -> tuple[float, float]:
    """Seconds for `boards` boards part by part (each bin once for all boards, reaching on to the next board) and board
    by board (each bin anew for each board), from the parts of a board by bin.

    >>> rounds({"a": 1, "b": 1}, 6, 10.0), rounds({"a": 30}, 2, 10.0)
    ((150.0, 180.0), (607.0, 610.0))
    """
    parts = sum(lines.values())
    by_part = boards * parts * middle_s + len(lines) * FETCH_S + len(lines) * max(0, boards - 1) * REACH_S
    by_board = boards * parts * middle_s + boards * len(lines) * FETCH_S
    return by_part, by_board
