"""Nudge or leave: whether the solder will pull a part straight that sits off its pads."""

from __future__ import annotations

import math

import shapely
from shapely.affinity import rotate, translate

from fusilex.core.design.model import Part
from fusilex.core.evidence import Level, every, exactly, weigh
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

SMALL_MM, OVERLAP, LEAD_SHARE, MOST_LEADS = 1.75, 0.5, 0.25, 20
PEGGED = ("connector", "holder", "terminal")
STRAIGHT_MM, STRAIGHT_DEG = 0.02, 0.5
"""What does not self-align is straight up to here."""


def judge_offset(part: Part, dx: float, dy: float, turn: float = 0.0) -> Judgement:
    """A part that was seen dx, dy (mm, board) and some degrees off: leave it, nudge it, or nobody can tell.

    Two-ended bodies up to 0603 come straight while half of each end is over its pad; leaded chips of up to twenty leads
    while a lead hangs over its pad by up to a quarter of its width. Heavier, pegged or finer ones do not.
    """
    off = math.hypot(dx, dy)
    numbers = [Quantity("off", off, "mm"), Quantity("turned", turn, "°")]
    pads = [p.polygon for p in part.pads]

    def judged(level: Level, case: str, do: str = "") -> Judgement:
        missing = ("its pads",) if level is Level.UNKNOWN else ()
        act = say(do) if do else None
        seen = (every("pads", len(pads)),)
        return Judgement("place.nudge", level, part.ref, say(case), tuple(numbers), act, (part.ref,), missing, seen)

    def within(much: float, most: float) -> Level:
        return weigh(exactly(much), (0.0, most), [every("pads", len(pads))], hard=(0.0, math.inf))

    if not pads:
        return judged(Level.UNKNOWN, "no pads", "magnify both ends")
    long = max(part.package.size_x, part.package.size_y)
    if len(pads) == 2 and long <= SMALL_MM:
        over = [1 - _off_share(pad, part, dx, dy, turn) for pad in pads]
        worst = min(over)
        numbers.append(Quantity("over its pad", 100 * worst, "%"))
        level = within(1 - worst, 1 - OVERLAP)
        return judged(level, *(["self-aligns"] if level is Level.GO else ["may tombstone", "onto both pads"]))
    if part.package.family in ("ic", "transistor") and 3 <= len(pads) <= MOST_LEADS:
        width = min(min(_sides(pad)) for pad in pads)
        radius = max(pad.centroid.distance(shapely.Point(part.x, part.y)) for pad in pads)
        hang = off + math.radians(abs(turn)) * radius
        numbers += [Quantity("a lead hangs over by", hang, "mm"), Quantity("allowed", LEAD_SHARE * width, "mm")]
        level = within(hang, LEAD_SHARE * width)
        return judged(level, *(["self-aligns"] if level is Level.GO else ["overhangs", "before reflow"]))
    case = "held by pegs" if part.package.family in PEGGED else "too heavy"
    level = within(max(off / STRAIGHT_MM, abs(turn) / STRAIGHT_DEG), 1.0)
    return judged(level, case, "" if level is Level.GO else "straighten now")


def _off_share(pad: shapely.Polygon, part: Part, dx: float, dy: float, turn: float) -> float:
    """How much of a part's end that belongs over a pad is not over it."""
    end = rotate(pad, turn, origin=(part.x, part.y))
    end = translate(end, dx, dy)
    return 1 - float(end.intersection(pad).area / end.area)


def _sides(pad: shapely.Polygon) -> tuple[float, float]:
    """Sides of the smallest box around a pad (mm)."""
    box = shapely.minimum_rotated_rectangle(pad)
    x, y = box.exterior.coords.xy
    return math.hypot(x[1] - x[0], y[1] - y[0]), math.hypot(x[2] - x[1], y[2] - y[1])
