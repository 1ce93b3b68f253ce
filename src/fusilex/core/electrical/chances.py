"""How likely a reading is to find something: a prior by gap and package, raised by what this board's record says, and
learnt over the batch.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping

from msgspec import Struct

SHORT_AT, GAP_AT_MM, DECADE_MM = 0.004, 0.2, 0.3
"""A place where two pads stand 0.2 mm apart bridges 4 times in 1,000 where hands print; a decade less for every 0.3 mm
more. What small shops say; the batch's own readings soon outweigh it.
"""
OPEN_LEAD, OPEN_CHIP, OPEN_HOLE = 0.003, 0.0008, 0.001
WRONG_VALUE, RAIL_DOWN = 0.001, 0.001
SEEN = {"apart": 1.0, "rail": 1.0, "joined": 0.7, "value": 0.9}
"""P(seen if bad): a tip pressed on a cold joint closes it now and then; a neighbour in parallel hides a wrong value."""
PRIOR_BOARDS = 20.0
"""What the prior weighs against boards of this batch, in boards."""
DOUBT_TIMES = 12.0
"""Odds of a place that print, place, oven, eyes or repair left in doubt, against one nobody doubts."""
MOST = 0.95


class Learnt(Struct, frozen=True):
    """Readings of one pair on the boards of the batch so far: how many, and how many were bad."""

    boards: int = 0
    bad: int = 0


def short_chance(gaps_mm: Iterable[float]) -> float:
    """Chance that one of some places bridges: 1 − Π (1 − p), p falling a decade every `DECADE_MM`.

    >>> round(short_chance([0.2]), 6), round(short_chance([0.5]), 6), round(short_chance([0.2, 0.2]), 6)
    (0.004, 0.0004, 0.007984)
    """
    none = 1.0
    for gap in gaps_mm:
        none *= 1 - min(MOST, SHORT_AT * 10 ** ((GAP_AT_MM - gap) / DECADE_MM))
    return 1 - none


def raised(chance: float, times: float) -> float:
    """A chance whose odds are so many times as high (Bayes with the likelihood ratio `times`).

    >>> round(raised(0.1, 9.0), 3)
    0.5
    """
    odds = chance / (1 - chance) * times if chance < 1 else math.inf
    return min(MOST, odds / (1 + odds)) if math.isfinite(odds) else MOST


def learnt(chance: float, seen: Learnt) -> float:
    """The mean of a Beta(c·n₀, (1 − c)·n₀) prior after `seen.bad` of `seen.boards` (conjugate Beta–binomial).

    >>> round(learnt(0.05, Learnt(20, 3)), 4)
    0.1
    """
    return min(MOST, (chance * PRIOR_BOARDS + seen.bad) / (PRIOR_BOARDS + seen.boards))


def chance_of(
    prior: float, pads: Iterable[str], refs: Iterable[str], doubts: Mapping[str, float], seen: Learnt
) -> float:
    """Chance that a pair is bad: the prior learnt over the batch, its odds times what is doubted of its pads or parts
    (the strongest doubt counts once).
    """
    times = max((doubts[name] for name in (*pads, *refs) if name in doubts), default=1.0)
    return raised(learnt(prior, seen), times)
