"""Where pin 1 lies: each part, turned back by what the list says, has its pin 1 where parts at 0° have it. Compared
only where copper or netlist name the pins; what no file names, nobody can tell.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from fusilex.core.design.frames import board_to_part
from fusilex.core.design.model import Part
from fusilex.core.placing.turns import CLOSE_MM, repeats_at

QUARTERS = ("A", "B", "C", "D")
"""Quarters in which pin 1 may lie at 0°, counter-clockwise from the upper left: A upper left or left, B lower left or
below (the two zero orientations of IEC 61188-7), C and D what half a turn makes of them: no part has that at 0°.
"""
FIRST_DEG = 98.0
"""Where quarter A begins, seen from the middle of the pads: pin 1 of the longest body of two rows is at 107°."""
CHIP_PADS = 5
"""Bodies of three or four leads have their zero either way, by library."""
MARKED = ("ic", "transistor")
CONVENTION = 2
"""So many chips of one quarter are a convention that an odd one is told by."""


class OddPin(Struct, frozen=True):
    """A part whose pin 1 lies otherwise than on the others: listed so, it should be `turn` degrees. `sure` where it is
    half a turn, which no library has.
    """

    part: Part
    turn: float
    sure: bool


class PinOnes(Struct, frozen=True):
    """Parts whose turn matters: those whose pin 1 lies as at 0° (`told`), otherwise than the others' (`odd`), and those
    of which no file tells (`untold`). `all_turned` are parts that lie as half a turn makes of them, all chips included.
    """

    told: tuple[Part, ...] = ()
    odd: tuple[OddPin, ...] = ()
    untold: tuple[Part, ...] = ()
    all_turned: tuple[Part, ...] = ()

    @property
    def likely(self) -> tuple[int, int]:
        """How well a list is turned, to compare two readings of it: told less odd ones, and how many lie as by
        orientation A, the usual one.
        """
        return len(self.told) - len(self.odd), sum(quarter_of(p) == "A" for p in self.told)


def quarter_of(part: Part) -> str:
    """The quarter in which a part's pin 1 lies once it is turned back; '' where no file names its pins."""
    if (pad := part.pin_one) is None:
        return ""
    boxes = np.array([p.polygon.bounds for p in part.pads])
    middle = (boxes[:, :2].min(axis=0) + boxes[:, 2:].max(axis=0)) / 2
    at = float(middle[0]), float(middle[1])
    ((x, y),) = board_to_part(pad.polygon.centroid.coords[0], at, part.rotation_deg, part.side).tolist()
    if math.hypot(x, y) < CLOSE_MM:
        return ""
    return QUARTERS[int((math.degrees(math.atan2(y, x)) - FIRST_DEG) % 360 // 90)]


def turn_matters(part: Part) -> bool:
    """True for a part on the surface that is wrong when it is turned: one with a mark, or whose pads differ."""
    return part.populated and not part.through_hole and repeats_at(part) == 360.0


def pin_ones(parts: Sequence[Part]) -> PinOnes:
    """Every part whose turn matters, by what its pin 1 says: chips are compared with chips. Parts of other kinds, such
    as connectors, have no zero that all agree on: there the list alone tells.
    """
    mattering = [p for p in parts if turn_matters(p)]
    chips = [p for p in mattering if len(p.pads) >= CHIP_PADS and p.package.family in MARKED]
    named = [(p, quarter) for p in chips if p.turn_given and (quarter := quarter_of(p))]
    counts = Counter(quarter for _, quarter in named)
    usual = max("AB", key=lambda quarter: counts[quarter])
    told = [p for p, quarter in named if quarter == usual]
    others = [(p, quarter) for p, quarter in named if quarter != usual]
    if counts["C"] + counts["D"] >= CONVENTION > counts["A"] + counts["B"]:
        marked = [p for p in mattering if p.turn_given and (p.package.family in MARKED or len(p.pads) == 2)]
        turned = [p for p in marked if quarter_of(p) in ("C", "D")]
        return PinOnes(all_turned=tuple(turned), untold=tuple(p for p in mattering if p not in turned))
    odd, known = [], {p.ref for p, _ in named}
    if counts[usual] >= CONVENTION:
        odd = [_odd(p, quarter, usual) for p, quarter in others]
    else:
        known -= {p.ref for p, _ in others}
    for part in mattering:
        if part in chips:
            continue
        if _told(part, settled=counts[usual] >= CONVENTION):
            told.append(part)
            known.add(part.ref)
    return PinOnes(tuple(told), tuple(odd), tuple(p for p in mattering if p.ref not in known))


def _odd(part: Part, quarter: str, usual: str) -> OddPin:
    quarters = (QUARTERS.index(quarter) - QUARTERS.index(usual)) % 4
    return OddPin(part, (part.rotation_deg + 90 * quarters) % 360, quarters == 2)


def _told(part: Part, settled: bool) -> bool:
    """What is no chip: a body of three leads has pin 1 in one of the two quarters, one of two ends on the left, or
    anywhere while chips show that the list counts as it should. What has no mark goes by the list.
    """
    if not part.turn_given:
        return False
    quarter = quarter_of(part)
    if part.package.family in MARKED:
        return quarter in ("A", "B")
    return not part.package.polarised or quarter == "A" or (bool(quarter) and settled)
