"""Work of the hands in steps, each with the time it usually takes."""

from __future__ import annotations

from msgspec import Struct

from fusilex.core.design.model import Part
from fusilex.core.soldering.order import soldered_from

TOO_HOT = "Smoke at once, brown flux, a white mark: the iron is too hot, and lands lift"
ONE_SIDE = "A hollow or a gap: heat was on one side only, or the wire was too short"
PROUD = "A millimetre off the board is off for good once the second pin is done"
MARKS = {(False, True): "", (True, True): ", its mark checked", (True, False): ", its polarity looked up"}
"""What to do about the mark of a part, by whether it has one and whether that is told."""
CORNERS = 5
"""Leads from which on a part is fixed at two opposite corners first."""


class HandStep(Struct, frozen=True):
    """What to do with the hands, and for how long usually (s); it is hot where an iron, air or a plate is at it; `slip`
    is what goes wrong at it.
    """

    text: str
    seconds: float
    hot: bool = False
    slip: str = ""


class Handwork(Struct, frozen=True):
    """A way of doing something, by its name."""

    name: str
    steps: tuple[HandStep, ...]

    @property
    def seconds(self) -> float:
        return sum(step.seconds for step in self.steps)


def soldering(part: Part) -> Handwork:
    """How a part is soldered with the iron: fixed at one joint, looked at, then the rest."""
    many = len(part.joints)
    mark = MARKS[part.package.polarised, part.package.told]
    rest = max(0, many - 2)
    if part.through_hole:
        over = "; turn the board over" if soldered_from(part) != part.side else "; its copper is on this side"
        filled = ", holes filled" if all(p.barrel for p in part.joints) else " on the copper: the holes are not plated"
        steps = [
            HandStep(f"Put it in{mark}, two leads bent{over}", 12),
            HandStep("Tack one pin", 3, True, TOO_HOT),
            HandStep("Look: flat on the board, square; warm the pin and press it down if not", 5, False, PROUD),
            HandStep("The pin across from it", 3, True),
            *([HandStep(f"The other {rest} pins", 3.0 * rest, True, ONE_SIDE)] if rest else []),
            HandStep(f"Trim the leads: eyes covered. Hollow cones all round{filled}", 4.0 + many),
        ]
        return Handwork("iron, leads", tuple(steps))
    tin = HandStep("Tin one land thinly", 4, True, TOO_HOT)
    if many >= CORNERS:
        steps = [
            HandStep("Flux on the lands, tin one corner", 8, True),
            HandStep(f"Lay it on{mark}: all leads on their lands; solder the corner", 10, True),
            HandStep("Look along both rows, then the opposite corner", 6, True),
            HandStep("Drag along each row, or joint by joint", 1.5 * many, True, TOO_HOT),
            HandStep("Wick what joins two leads; look from the side", 12, True),
        ]
        return Handwork("iron, corners and drag", tuple(steps))
    steps = [
        tin,
        HandStep(f"Slide it in while that is liquid, let it set{mark}", 6, True),
        HandStep("Look: flat, square", 3),
        HandStep(f"The other {'end' if many == 2 else f'{many - 1} joints'}", 3.0 * max(1, many - 1), True),
    ]
    return Handwork("iron, one land first", tuple(steps))
