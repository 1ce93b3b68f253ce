"""Order of soldering by hand: low before tall, joints before what covers them, the board turned as seldom as it can be.

A joint is reached from the side its lead comes out at: of a part with leads the side it does not stand on, of any other
its own. What stands over a joint there, or so near and tall that no tip gets beside it, comes later.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from itertools import pairwise

import numpy as np
import shapely

from fusilex.core.design.model import Part
from fusilex.core.design.outlines import body_polygon

TIP_SLOPE, LEAST_MM = 0.5, 0.4
"""A tip leans: a body so many times its height away is in its way, and one nearer than that at any height."""
OTHER = {"top": "bottom", "bottom": "top"}


def soldered_from(part: Part) -> str:
    """The side that is up while a part's joints are made."""
    return OTHER[part.side] if part.through_hole else part.side


def hindrances(parts: Sequence[Part]) -> dict[str, set[str]]:
    """By reference, the parts that have to be soldered before it: it would stand over their joints, or too near."""
    before: dict[str, set[str]] = {p.ref: set() for p in parts}
    for part in parts:
        body = body_polygon(part)
        reach = max(LEAST_MM, TIP_SLOPE * part.package.height)
        for other in parts:
            if other is part or not other.pads or soldered_from(other) != part.side:
                continue
            pads = [pad.polygon for pad in other.pads]
            near = float(np.min(shapely.distance(body, pads)))
            lower = other.package.height < part.package.height or other.side != part.side
            if (near == 0.0 and other.side != part.side) or (near < reach and lower):
                before[part.ref].add(other.ref)
    return before


def by_height(parts: Iterable[Part]) -> list[Part]:
    """Parts for the iron in working order: surface-mount ones before those with leads, which would keep the board from
    lying flat, lowest first, one side after the other; but a joint before whatever would cover it.
    """
    left = list(parts)
    before = hindrances(left)
    done: set[str] = set()
    made: list[Part] = []
    side = ""
    while left:
        there = {p.ref for p in left}
        free = [p for p in left if not (before[p.ref] & there - done)] or left  # a ring of hindrances: by height
        pick = min(free, key=lambda p: (p.through_hole, _turns(p, side, free), p.package.height, p.ref))
        left.remove(pick)
        done.add(pick.ref)
        made.append(pick)
        side = soldered_from(pick)
    return made


def _turns(part: Part, side: str, free: Sequence[Part]) -> bool:
    """True where the board has to be turned over for a part and some other could go on as it lies."""
    own = [p for p in free if p.through_hole == part.through_hole]
    start = side or max(("top", "bottom"), key=lambda s: sum(soldered_from(p) == s for p in own))
    return soldered_from(part) != start


def turns(order: Sequence[Part]) -> int:
    """How often the board is turned over in an order.

    >>> turns([])
    0
    """
    sides = [soldered_from(p) for p in order]
    return sum(a != b for a, b in pairwise(sides))
