"""Making bare boards by toner transfer: the steps, and what a look at them and a drill come to."""

from __future__ import annotations

import math

from fusilex.core.design.model import Design
from fusilex.core.evidence import Level, every, exactly, seen, weigh
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

METHODS = ("cut", "transfer", "look", "etch", "strip", "drill", "look again")
"""In the order they are done."""
WHY = {
    "cut": "To size, wet, edges deburred",
    "transfer": "Toner onto clean copper, hot and in several passes",
    "look": "Breaks and pinholes are touched up before they are etched in",
    "etch": "What is not covered goes",
    "strip": "Toner off, copper bright",
    "drill": "Small bits first, they break",
    "look again": "Against the copper layer, before parts are spent on it",
}
CARE_SHARE = 0.7


def least_ring(design: Design) -> float | None:
    """The narrowest ring of copper round a drilled hole (mm): (pad − hole) / 2. None without a pad that is drilled.

    The pad's narrower side counts.
    """
    rings = []
    for pad in design.pads:
        if pad.drill > 0:
            x0, y0, x1, y1 = pad.polygon.bounds
            rings.append((min(x1 - x0, y1 - y0) - pad.drill) / 2)
    return min(rings, default=None)


def judge_look(breaks: int, pinholes: int, touched: int, what: str) -> Judgement:
    """What a look at the resist found, and what of it was touched up."""
    left = max(0, breaks + pinholes - touched)
    numbers = (Quantity("breaks", breaks), Quantity("pinholes", pinholes), Quantity("touched up", touched))
    if left:
        return Judgement("make.resist", Level.STOP, what, say("flaws", left=left, what=what), numbers, say("touch up"))
    looked = (every("looks", 1),)
    return Judgement("make.resist", seen(*looked), what, say("whole", what=what), numbers, coverage=looked)


def judge_drill(run_out_mm: float, ring_mm: float | None, what: str) -> Judgement:
    """Run-out of the drill against the narrowest ring: a hole that wanders as far cuts the pad open.

    >>> judge_drill(0.2, 0.3, "panel 1").level.value, judge_drill(0.3, 0.3, "panel 1").level.value
    ('go', 'stop')
    """
    numbers = [Quantity("run-out", run_out_mm, "mm")]
    if ring_mm is None:
        text, do, missing = say("not checked", what=what), say("inspect rings"), ("drilled pads",)
        return Judgement("make.drill", Level.UNKNOWN, what, text, tuple(numbers), do, (), missing)
    numbers.append(Quantity("narrowest ring", round(ring_mm, 3), "mm"))
    rings = (every("drills", 1),)
    # a hole that wanders as far as the ring is wide has cut it open
    hard = (-math.inf, math.nextafter(ring_mm, -math.inf))
    level = weigh(exactly(run_out_mm), (-math.inf, CARE_SHARE * ring_mm), rings, hard=hard)
    case = {Level.STOP: "break out", Level.CARE: "nearly break out", Level.GO: "inside"}[level]
    act = None if level is Level.GO else say("stiffer")
    return Judgement("make.drill", level, what, say(case, what=what), tuple(numbers), act, coverage=rings)
