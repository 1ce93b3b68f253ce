"""What the board lies in while it is printed: height against the frame, supports around it, blade and bead."""

from __future__ import annotations

import math
from collections.abc import Sequence

from msgspec import Struct

from fusilex.core.evidence import Level, every, exactly, seen, weigh
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

STEP_CARE_MM, STEP_STOP_MM = 0.05, 0.10
BEYOND_MM = 10.0
"""A blade reaches so far beyond the print on either side."""
BEAD_MM = (12.0, 15.0)
BARE_MM = 0.5
"""So much of an edge (mm) may be without support: a cut at the corner."""
RUN_MM = 20.0
"""The stroke begins and ends so far outside the board."""
Box = tuple[float, float, float, float]


class Support(Struct, frozen=True):
    """A scrap of board of the user's stock, laid at a box (x0, y0, x1, y1; mm)."""

    scrap: int
    box: Box
    turned: bool


class Surround(Struct, frozen=True):
    """Supports around a board, and the length (mm) of its edge that has none beside it."""

    supports: tuple[Support, ...]
    bare_mm: float


def edge_excess(area_mm2: float, step_mm: float) -> float:
    """Extra paste (mm³) of an aperture at the edge when the frame stands `step_mm` higher or lower: A |δ| / 2.

    >>> round(edge_excess(0.5, 0.08), 4)
    0.02
    """
    return area_mm2 * abs(step_mm) / 2


def judge_step(step_mm: float, foil: float) -> Judgement:
    """The frame higher (+) or lower (−) than the board by so much (mm)."""
    size = abs(step_mm)
    edges, slack = (every("edges", 1),), 1e-9
    level = weigh(exactly(size), (0.0, STEP_CARE_MM + slack), edges, hard=(0.0, STEP_STOP_MM + slack))
    numbers = (
        Quantity("step", round(step_mm, 3), "mm", limit=(-STEP_CARE_MM, STEP_CARE_MM)),
        Quantity("more paste at the edge", round(100 * size / (2 * foil)), "%"),
    )
    if level is Level.GO:
        return Judgement("print.jig", level, "jig", say("level"), numbers, coverage=edges)
    text, do = (say("frame high"), say("shim board")) if step_mm > 0 else (say("frame low"), say("shim frame"))
    return Judgement("print.jig", level, "jig", text, numbers, do)


def blade_mm(width: float) -> float:
    """Width of blade (mm) for a print of a width: ten more on either side."""
    return width + 2 * BEYOND_MM


def judge_blade(blade: float, width: float) -> Judgement:
    """Is the blade wide enough for the print?"""
    wanted = blade_mm(width)
    numbers = (Quantity("blade", blade, "mm", limit=(wanted, math.inf)), Quantity("wanted", wanted, "mm"))
    blades = (every("blades", 1),)
    level = weigh(exactly(blade), (wanted - 1e-9, math.inf), blades, hard=(width, math.inf))
    if level is Level.GO:
        return Judgement("print.blade", level, "blade", say("wide enough"), numbers, coverage=blades)
    text = say("too narrow" if level is Level.STOP else "barely")
    return Judgement("print.blade", level, "blade", text, numbers, say("wider"))


def surround(box: Box, scraps: Sequence[tuple[float, float]], reach: float = RUN_MM) -> Surround:
    """Where to put scraps (width, height; mm) of the board's thickness around its outline, so that foil and blade rest
    on one plane: the long sides first, each as far as it goes, largest scrap first.

    >>> found = surround((0, 0, 44, 31), [(100, 20), (100, 20), (40, 20), (40, 20)])
    >>> len(found.supports), found.bare_mm
    (4, 0.0)
    """
    x0, y0, x1, y1 = box
    left = sorted(range(len(scraps)), key=lambda n: -max(scraps[n]))
    made: list[Support] = []
    bare = 0.0
    sides = [("below", x1 - x0), ("above", x1 - x0), ("left", y1 - y0), ("right", y1 - y0)]
    for side, long in sorted(sides, key=lambda s: -s[1]):
        at, end = 0.0, long
        while at < end - 1e-9 and left:
            # the shortest that covers the rest, else the longest there is
            fits = [n for n in left if max(scraps[n]) >= end - at]
            scrap = fits[-1] if fits else left[0]
            left.remove(scrap)
            a, b = max(scraps[scrap]), min(scraps[scrap])
            shift = at if a < end - at else at - (a - (end - at)) / 2
            made.append(Support(scrap, _beside(box, side, shift, a, b), _lies_turned(side, scraps[scrap])))
            at += a
        bare += max(0.0, end - at)
    return Surround(tuple(made), bare)


def _beside(box: Box, side: str, at: float, long: float, wide: float) -> Box:
    x0, y0, x1, y1 = box
    if side == "below":
        return x0 + at, y0 - wide, x0 + at + long, y0
    if side == "above":
        return x0 + at, y1, x0 + at + long, y1 + wide
    if side == "left":
        return x0 - wide, y0 + at, x0, y0 + at + long
    return x1, y0 + at, x1 + wide, y0 + at + long


def _lies_turned(side: str, scrap: tuple[float, float]) -> bool:
    return (scrap[0] < scrap[1]) == (side in ("below", "above"))


def judge_surround(found: Surround) -> Judgement:
    """Do the scraps go all the way round?"""
    numbers = (
        Quantity("support boards", len(found.supports)),
        Quantity("without support", round(found.bare_mm, 1), "mm"),
    )
    if found.bare_mm <= BARE_MM:
        sides = (every("sides", 4),)
        return Judgement("print.support", seen(*sides), "support", say("supported"), numbers, coverage=sides)
    return Judgement("print.support", Level.CARE, "support", say("unsupported"), numbers, say("more support"))
