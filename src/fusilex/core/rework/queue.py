"""In which order to mend: what takes most heat first, then what lies in the heat of the last."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from msgspec import Struct

from fusilex.core.design.model import Part


class Mend(Struct, frozen=True):
    """A fault to mend, by its number: its part, whether that hides its joints, by which method, and how far its heat
    reaches (mm).
    """

    fault: int
    part: Part
    hidden: bool
    method: str
    reach: float


HEAT = ("plate and air", "air", "holes cleared", "iron both ends", "drag", "wick", "iron", "pick out", "clean", "")
"""Methods by how much heat they bring: what comes later is not melted again by what came before."""


def in_order(mends: Sequence[Mend]) -> list[Mend]:
    """Parts with joints beneath them first, then by heat; of several alike the nearest one whose heats overlap next."""
    left = list(mends)
    made: list[Mend] = []
    while left:
        last = made[-1] if made else None
        best = min(left, key=lambda m: (*_rank(m), _away(last, m) if last else 0.0, m.fault))
        left.remove(best)
        made.append(best)
    return made


def _rank(mend: Mend) -> tuple[bool, int]:
    return not mend.hidden, HEAT.index(mend.method) if mend.method in HEAT else len(HEAT)


def _away(a: Mend, b: Mend) -> float:
    """Distance of two parts (mm), 0 while their heats overlap; another side is far away."""
    if a.part.side != b.part.side:
        return math.inf
    away = math.hypot(a.part.x - b.part.x, a.part.y - b.part.y)
    return 0.0 if away < a.reach + b.reach else away


def again_melted(order: Sequence[Mend]) -> dict[int, list[int]]:
    """Which mended faults lie in the heat of a later one: by the later fault's number."""
    found: dict[int, list[int]] = {}
    for n, later in enumerate(order):
        hit = [
            m.fault
            for m in order[:n]
            if m.part.side == later.part.side
            and math.hypot(m.part.x - later.part.x, m.part.y - later.part.y) < later.reach
            and m.part.ref != later.part.ref
        ]
        if hit:
            found[later.fault] = hit
    return found


PRIOR = 3.0
"""The usual time of a method counts as if it had been seen so often."""


class Worth(Struct, frozen=True):
    """Whether mending pays: minutes it takes, what they cost, what a board is worth, and the chance that it is good
    then.
    """

    minutes: float
    cost: float
    worth: float
    chance: float
    fixed: int
    tried: int

    @property
    def saves(self) -> float:
        """What mending brings on average, less what it costs."""
        return self.worth * self.chance - self.cost


def learnt_seconds(usual_s: float, timed: Sequence[float]) -> float:
    """Seconds a method takes here: its usual time as if it had been seen `PRIOR` times, and the shop's own
    (geometric mean: times of handwork are log-normal).

    >>> round(learnt_seconds(60, [])), round(learnt_seconds(60, [120] * 9))
    (60, 101)
    """
    logs = [math.log(max(1.0, s)) for s in timed]
    return math.exp((PRIOR * math.log(usual_s) + sum(logs)) / (PRIOR + len(logs)))


def worth_of(
    seconds: float, rate_per_h: float, worth: float, outcomes: Mapping[str, int], pieces: float = 0.0
) -> Worth:
    """The sum: `outcomes` counts this shop's repairs that were ``fixed`` and ``scrapped``; a usual nine in ten stands
    in for ten of them.

    >>> one = worth_of(1800, 40, 30, {"fixed": 9, "scrapped": 1})
    >>> round(one.cost), round(one.chance, 2), round(one.saves, 1)
    (20, 0.9, 7.0)
    """
    fixed, scrapped = outcomes.get("fixed", 0), outcomes.get("scrapped", 0)
    chance = (9 + fixed) / (10 + fixed + scrapped)
    return Worth(seconds / 60, seconds / 3600 * rate_per_h, worth, chance, fixed, fixed + scrapped)
