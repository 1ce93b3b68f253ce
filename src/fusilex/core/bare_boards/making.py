"""Making bare boards by toner transfer: the steps, and what a look at them and a drill come to."""

from __future__ import annotations

from fusilex.core.design.model import Design
from fusilex.core.judgement import Because, Judgement, Level

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
    numbers = (Because("breaks", breaks), Because("pinholes", pinholes), Because("touched up", touched))
    if left:
        text, do = f"{left} flaw{'s' if left > 1 else ''} in the resist of {what}", "Touch up with an etch-proof pen."
        return Judgement("make.resist", Level.STOP, what, text, numbers, do)
    return Judgement("make.resist", Level.GO, what, f"The resist of {what} is whole", numbers)


def judge_drill(run_out_mm: float, ring_mm: float | None, what: str) -> Judgement:
    """Run-out of the drill against the narrowest ring: a hole that wanders as far cuts the pad open.

    >>> judge_drill(0.2, 0.3, "panel 1").level.value, judge_drill(0.3, 0.3, "panel 1").level.value
    ('go', 'stop')
    """
    numbers = [Because("run-out", run_out_mm, "mm")]
    if ring_mm is None:
        text = f"Whether the holes of {what} break out cannot be told: no drilled pads are known"
        return Judgement("make.drill", Level.UNKNOWN, what, text, tuple(numbers), "Look at every ring.")
    numbers.append(Because("narrowest ring", round(ring_mm, 3), "mm"))
    level = Level.STOP if run_out_mm >= ring_mm else Level.CARE if run_out_mm > CARE_SHARE * ring_mm else Level.GO
    words = {Level.STOP: "break out of their pads", Level.CARE: "nearly break out", Level.GO: "stay inside their pads"}
    do = "" if level is Level.GO else "A stiffer bit, a stand, a pilot hole; look at every ring."
    return Judgement("make.drill", level, what, f"Holes of {what} {words[level]}", tuple(numbers), do)
