"""How many may be printed now, so that the last part of the last one still goes into tacky paste."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from fusilex.core.evidence import Coverage, Level, every, seen
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

USUAL_PART_S = 12.0
"""Seconds a part takes by hand where nobody has placed any yet."""
LEAST_PACE, MOST_PACE = 8, 400
QUICKEST_S, PAUSE_S = 1.0, 1800.0
"""Nobody places a part in less. Paste ages through coffee breaks, too: only after a longer wait somebody had gone."""
MOST_PANELS = 1000
SURE_Z = 1.645
"""The work takes no longer than said in 95 of 100 cases."""


class Pace(Struct, frozen=True):
    """Seconds a part takes: mean and scatter, from how many parts; `count` 0 where it is the usual one."""

    mean_s: float = USUAL_PART_S
    sd_s: float = USUAL_PART_S
    count: int = 0

    def at_most(self, parts: int) -> float:
        """Seconds for some parts that 95 of 100 such runs stay under: scatter of the sum and of the mean itself."""
        own = self.sd_s**2 * (parts + (parts**2 / self.count if self.count else parts**2 / LEAST_PACE))
        return parts * self.mean_s + SURE_Z * math.sqrt(own)


def pace_of(placed_s: Sequence[float]) -> Pace:
    """The pace from the moments (s, rising) at which parts went on: the latest `MOST_PACE` steps without pauses.

    >>> pace_of([10.0 * n for n in range(20)])
    Pace(mean_s=10.0, sd_s=0.0, count=19)
    """
    steps = np.diff(np.asarray(placed_s, dtype=float))
    steps = steps[(steps >= QUICKEST_S) & (steps <= PAUSE_S)][-MOST_PACE:]
    if len(steps) < LEAST_PACE:
        return Pace()
    return Pace(float(steps.mean()), float(steps.std(ddof=1)), len(steps))


class Waiting(Struct, frozen=True):
    """What lies open now: parts to place on printed boards, hours since the oldest print with parts to place, boards
    that a load takes, minutes of a load.
    """

    parts: int
    boards: int
    oldest_h: float = 0.0
    load_boards: int = 0
    load_min: float = 8.0


class Ahead(Struct, frozen=True):
    """Panels that may be printed now, what limits them, and how long the oldest paste still keeps its tack (min, None
    where none is open).
    """

    panels: int
    limit: str
    minutes_left: float | None


def may_print(
    waiting: Waiting,
    pace: Pace,
    sheet: tuple[float, float],
    panel: tuple[int, int],
    to_print: int = MOST_PANELS,
) -> Ahead:
    """Panels to print now, of so many that are `to_print`: their parts come after those that wait, and all are in paste
    before its tack is gone; the last one's oven load still starts before the paste is too old. `sheet` gives both
    times (h), `panel` parts and boards of one.

    >>> may_print(Waiting(0, 0), Pace(10, 0, 100), (4, 8), (300, 6)).panels  # 3,000 s a panel of 14,400
    4
    >>> may_print(Waiting(0, 0), Pace(10, 0, 100), (4, 8), (300, 6), 3).panels
    3
    """
    (tack_h, longest_h), (panel_parts, panel_boards) = sheet, panel
    left = None if not waiting.parts else 60 * tack_h - 60 * waiting.oldest_h
    if waiting.parts and pace.at_most(waiting.parts) / 60 > (left or 0.0):
        return Ahead(0, "waiting", left)
    panels, limit = 0, "tack" if to_print else "printed"
    while panels < min(to_print, MOST_PANELS):
        more = panels + 1
        placed_h = pace.at_most(waiting.parts + more * panel_parts) / 3600
        loads = math.ceil((waiting.boards + more * panel_boards) / waiting.load_boards) if waiting.load_boards else 0
        if placed_h > tack_h:
            break
        if placed_h + waiting.load_min / 60 * min(loads, 1 + loads // 2) > longest_h:
            limit = "oven"
            break
        panels = more
    return Ahead(panels, limit, left)


def judge_ahead(found: Ahead, pace: Pace, waiting: Waiting, tack_h: float) -> Judgement:
    """May the next panel be printed now, and how many after it?"""
    numbers = [
        Quantity("a part takes", round(pace.mean_s, 1), "s"),
        Quantity("parts that wait", waiting.parts),
        Quantity("tack", tack_h, "h"),
    ]
    if found.minutes_left is not None:
        numbers.append(Quantity("oldest paste keeps", round(found.minutes_left), "min", runs=True))
    because = tuple(numbers)
    missing = () if pace.count else ("pace of placing",)
    if found.limit == "printed":
        panels_seen = (every("panels", 1),)
        return Judgement("print.ahead", seen(*panels_seen), "ahead", say("all printed"), because, coverage=panels_seen)
    if found.panels == 0:
        text = say(f"none, {found.limit}" if waiting.parts else "none, one panel too slow")
        do = say("place first" if waiting.parts else "two people")
        level = Level.CARE if pace.count else Level.UNKNOWN
        return Judgement("print.ahead", level, "ahead", text, because, do, (), missing)
    if not pace.count:
        text, do = say("about so many", panels=found.panels), say("place one first")
        return Judgement("print.ahead", Level.UNKNOWN, "ahead", text, because, do, (), missing)
    paces = (Coverage("parts timed", pace.count, 1),)
    text = say("so many", panels=found.panels)
    return Judgement("print.ahead", seen(*paces), "ahead", text, because, coverage=paces)
