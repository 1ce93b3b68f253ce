"""How long printed paste may lie open before it is molten."""

from __future__ import annotations

from fusilex.core.judgement import Judgement, Level
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

TACK_H, LONGEST_H = 4.0, 8.0
"""Paste keeps its tack for 4 to 8 hours by most sheets; the paste's own sheet wins."""


def judge_paste_age(what: str, hours: float, tack_h: float = TACK_H, longest_h: float = LONGEST_H) -> Judgement:
    """Paste of one print that lies open for `hours`; its sheet says how long it keeps its tack, and at most.

    >>> [judge_paste_age("panel 1", h).level.value for h in (4.0, 4.1, 8.1)]
    ['go', 'care', 'stop']
    """
    level = Level.STOP if hours > longest_h else Level.CARE if hours > tack_h else Level.GO
    case = {Level.STOP: "too old", Level.CARE: "tack going"}.get(level, "fresh")
    do = {Level.STOP: say("print again"), Level.CARE: say("finish first")}.get(level)
    numbers = (
        Quantity("open for", round(hours, 1), "h", limit=(0.0, longest_h), source="paste", runs=True),
        Quantity("tack", tack_h, "h"),
        Quantity("at most", longest_h, "h"),
    )
    return Judgement("print.age", level, what, say(case, what=what), numbers, do)
