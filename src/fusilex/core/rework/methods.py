"""How a fault is mended: by what, in which steps, each with the time it usually takes."""

from __future__ import annotations

import numpy as np

from fusilex.core.design.model import Part
from fusilex.core.soldering.handwork import MARKS, HandStep, Handwork

LIFTED = (
    "tombstone",
    "misaligned",
    "rotated",
    "inverted",
    "billboard",
    "lifted part",
    "wrong part",
    "missing",
    "cracked",
    "burnt",
)
"""Faults whose part has to come off, or was never on."""
TOO_MUCH, TOO_LITTLE = ("bridge", "excess", "spike"), ("no solder", "insufficient", "cold joint", "no wetting")
MANY_LEADS, FINE_MM = 8, 0.8
"""Leads from which on, and up to which pitch, a drag is quicker than a wick."""


_FLUX = HandStep("Fresh flux on the joints", 10)
_CLEAN = HandStep("Clean off the flux, look at the pads", 20)
_TIN = HandStep("Tin the pads thinly, all to one height", 20, True)
_LOOK = HandStep("Look at it under magnification", 20)
_WICK = HandStep("Wick wetted with a touch of solder, laid flat; iron on top, lift both together, no digging", 10, True)
_DRAG = HandStep("A broad tip with little solder, drawn along the row once, slowly", 10, True)
_SHIELD = HandStep("Shield the neighbours, loose ones first", 45)
_OFF = HandStep("Lift the gun away before it is switched off", 5, True)
_COOL = HandStep("Leave it until it is solid and below 50 °C", 60)


def _pitch(part: Part) -> float:
    """The least distance of two pads' middles, mm."""
    at = np.array([[p.polygon.centroid.x, p.polygon.centroid.y] for p in part.pads])
    if len(at) < 2:
        return np.inf
    away = np.hypot(*(at[:, None] - at[None]).transpose(2, 0, 1))
    return float(away[away > 1e-6].min(initial=np.inf))


def method_for(word: str, part: Part, hides_joints: bool) -> Handwork | None:
    """The usual way for a fault at a part, None where only the shop's own procedure can tell."""
    if word == "solder balls":
        return Handwork("pick out", (HandStep("Pick the balls out under magnification, count them", 40), _CLEAN, _LOOK))
    if word in ("contaminated", "solder on mask"):
        scrape = HandStep("Lift what is stuck with the tip and wick, no scraping", 20, True)
        return Handwork("clean", ((scrape, _CLEAN, _LOOK) if word == "solder on mask" else (_CLEAN, _LOOK)))
    if word in LIFTED:
        return _lift(word, part, hides_joints)
    if word in TOO_MUCH + TOO_LITTLE and hides_joints:
        reheat = HandStep(
            "Plate warm, air over it in held steps until the part settles: no iron reaches its joints", 240, True
        )
        return Handwork("plate and air", (_FLUX, _SHIELD, reheat, _OFF, _COOL, _LOOK))
    if word in TOO_MUCH:
        fine = len(part.pads) >= MANY_LEADS and _pitch(part) <= FINE_MM
        return Handwork("drag" if fine else "wick", (_FLUX, _DRAG if fine else _WICK, _CLEAN, _LOOK))
    if word in TOO_LITTLE:
        touch = HandStep("Tip to land and lead at once, wire to the joint, not to the tip", 5, True)
        return Handwork("iron", (_FLUX, touch, _CLEAN, _LOOK))
    if word == "lifted lead":
        hold = HandStep("Hold the lead on its land while the solder is liquid, until it is solid", 8, True)
        return Handwork("iron", (_FLUX, hold, _CLEAN, _LOOK))
    return None


def _lift(word: str, part: Part, hides_joints: bool) -> Handwork:
    """The part off, if it is on, its place made ready, and one on."""
    off: tuple[HandStep, ...]
    on: tuple[HandStep, ...]
    again = (
        "the same one, if it is whole" if word in ("misaligned", "rotated", "tombstone", "billboard") else "a new one"
    )
    mark = MARKS[part.package.polarised, part.package.told]
    place = HandStep(f"Place {again}{mark}", 30)
    if part.through_hole:
        clear = HandStep("Clear the holes: wick from both sides, or a pump", 60, True)
        off = (_FLUX, HandStep("All pins liquid: pot, or one after the other; lift without force", 40, True), clear)
        name, on = "holes cleared", (place, HandStep("Tack one pin, look whether it sits, solder the rest", 60, True))
    elif hides_joints:
        held = HandStep("Plate warm, air over it in held steps; lift when all of it is liquid together", 240, True)
        off = (_FLUX, _SHIELD, held, _OFF, _COOL, _TIN)
        warm = HandStep("Plate warm, air over it in held steps until it settles", 240, True)
        shield = (_SHIELD,) if word == "missing" else ()
        name, on = "plate and air", (_FLUX, *shield, place, warm, _OFF, _COOL)
    elif len(part.pads) <= 2:
        off = (_FLUX, HandStep("An iron at both ends, or a broad tip over both; it slides off", 8, True), _TIN)
        name, on = "iron both ends", (place, HandStep("Solder one end, press flat, then the other", 10, True))
    else:
        lift = HandStep("Air round all its leads until every one is liquid, lift with tweezers", 60, True)
        off = (_FLUX, _SHIELD, lift, _OFF, _COOL, _TIN)
        name, on = "air", (_FLUX, place, HandStep("Two opposite corners first, then the rest; or air", 40, True))
    return Handwork(name, (*(() if word == "missing" else off), *on, _CLEAN, _LOOK))
