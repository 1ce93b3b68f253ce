"""How long printed paste may lie open before it is molten."""

from __future__ import annotations

from fusilex.core.evidence import Level, every, exactly, weigh
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

TACK_H, LONGEST_H = 4.0, 8.0
"""Paste keeps its tack for 4 to 8 hours by most sheets; the paste's own sheet wins."""


def judge_paste_age(what: str, hours: float, tack_h: float = TACK_H, longest_h: float = LONGEST_H) -> Judgement:
    """Paste of one print that lies open for `hours`; its sheet says how long it keeps its tack, and at most.

    >>> [judge_paste_age("panel 1", h).level.value for h in (4.0, 4.1, 8.1)]
    ['go', 'care', 'stop']
    """
    prints = (every("prints", 1),)
    level = weigh(exactly(hours), (0.0, tack_h), prints, hard=(0.0, longest_h))
    case = {Level.STOP: "too old", Level.CARE: "tack going"}.get(level, "fresh")
    do = {Level.STOP: say("print again"), Level.CARE: say("finish first")}.get(level)
    numbers = (
        Quantity("open for", round(hours, 1), "h", limit=(0.0, longest_h), source="paste", runs=True),
        Quantity("tack", tack_h, "h"),
        Quantity("at most", longest_h, "h"),
    )
    return Judgement("print.age", level, what, say(case, what=what), numbers, do, coverage=prints)
