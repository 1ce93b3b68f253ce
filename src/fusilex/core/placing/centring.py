"""Nudge or leave: whether the solder will pull a part straight that sits off its pads."""

from __future__ import annotations

import math

import shapely
from shapely.affinity import rotate, translate

from fusilex.core.design.model import Part
from fusilex.core.judgement import Because, Judgement, Level

SMALL_MM, OVERLAP, LEAD_SHARE, MOST_LEADS = 1.75, 0.5, 0.25, 20
PEGGED = ("connector", "holder", "terminal")


def judge_offset(part: Part, dx: float, dy: float, turn: float = 0.0) -> Judgement:
    """A part that was seen dx, dy (mm, board) and some degrees off: leave it, nudge it, or nobody can tell.

    Two-ended bodies up to 0603 come straight while half of each end is over its pad; leaded chips of up to twenty leads
    while a lead hangs over its pad by up to a quarter of its width. Heavier, pegged or finer ones do not.
    """
    off = math.hypot(dx, dy)
    numbers = [Because("off", off, "mm"), Because("turned", turn, "°")]
    pads = [p.polygon for p in part.pads]

    def judged(level: Level, text: str, do: str, *more: Because) -> Judgement:
        return Judgement("place.nudge", level, part.ref, f"{part.ref} {text}", (*numbers, *more), do, (part.ref,))

    if not pads:
        do = "Look at both ends under the microscope."
        return judged(Level.UNKNOWN, "has no pads in the files to measure against", do)
    long = max(part.package.size_x, part.package.size_y)
    if len(pads) == 2 and long <= SMALL_MM:
        over = [1 - _off_share(pad, part, dx, dy, turn) for pad in pads]
        worst = min(over)
        numbers.append(Because("over its pad", 100 * worst, "%"))
        if worst >= OVERLAP:
            return judged(Level.GO, "comes straight by itself", "")
        return judged(Level.CARE, "stays where it is or stands up", "Nudge it onto both pads.")
    if part.package.family in ("ic", "transistor") and 3 <= len(pads) <= MOST_LEADS:
        width = min(min(_sides(pad)) for pad in pads)
        radius = max(pad.centroid.distance(shapely.Point(part.x, part.y)) for pad in pads)
        hang = off + math.radians(abs(turn)) * radius
        numbers += [Because("a lead hangs over by", hang, "mm"), Because("allowed", LEAD_SHARE * width, "mm")]
        if hang <= LEAD_SHARE * width:
            return judged(Level.GO, "comes straight by itself", "")
        return judged(Level.CARE, "hangs over its pads", "Nudge it before the oven.")
    why = "is held by pegs" if part.package.family in PEGGED else "has too many legs or too much weight"
    level = Level.CARE if off > 0.02 or abs(turn) > 0.5 else Level.GO
    return judged(level, f"{why}: solder does not move it", "Put it straight now." if level is Level.CARE else "")


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
