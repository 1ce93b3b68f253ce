"""When the foil wants wiping beneath, and prints that are no ordinary ones."""

from __future__ import annotations

import math
from collections.abc import Sequence

from fusilex.core.evidence import Level, every, exactly, weigh
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity, amount
from fusilex.core.wording import Said, say

USUAL_EVERY = 5
LEARNT_FROM = 3
PAUSE_H = 1.0


def wipe_every(faults_after: Sequence[int]) -> tuple[int, bool]:
    """Prints between two wipes, and whether that was learnt: one less than the lower quartile of the numbers of prints
    after which a smear or a bridge was seen here; the usual five until there were three of them.

    >>> wipe_every([4, 6, 5, 9]), wipe_every([4])
    ((3, True), (5, False))
    """
    if len(faults_after) < LEARNT_FROM:
        return USUAL_EVERY, False
    return max(1, sorted(faults_after)[(len(faults_after) - 1) // 4] - 1), True


def judge_wipe(since: int, faults_after: Sequence[int]) -> Judgement:
    """Is the foil to be wiped beneath before the next print?"""
    often, learnt = wipe_every(faults_after)
    numbers = (
        Quantity("prints since", since),
        Quantity("wiped every", often),
        Quantity("learnt from", len(faults_after) if learnt else "no fault here yet"),
    )
    counted = (every("prints", max(since, 1)),)
    level = weigh(exactly(since), (0, often - 1), counted, hard=(0, math.inf))
    if level is Level.GO:
        return Judgement("print.wipe", level, "foil", say("later", left=often - since), numbers, coverage=counted)
    return Judgement("print.wipe", level, "foil", say("now"), numbers, say("how"))


def stands_apart(hours_since: float | None, prints_since_wipe: int) -> Said | None:
    """Why the next print is no ordinary one, None where it is: the first, after a pause, or after a wipe."""
    if hours_since is None:
        return say("first of all")
    if hours_since > PAUSE_H:
        return (
            say("first after a pause", pause=amount(hours_since, "h")) if hours_since < 8 else say("first of the day")
        )
    return say("first after a wipe") if prints_since_wipe == 0 else None


def judge_first(what: Said | None) -> list[Judgement]:
    """A print that is no ordinary one is looked at whole."""
    return [] if what is None else [Judgement("print.first", Level.CARE, "first", what, (), say("look at all"))]
