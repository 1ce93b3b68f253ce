"""What eyes should find at a part: which way its mark lies, how its joints look, from where to light them."""

from __future__ import annotations

import math

from fusilex.core.design.hidden_joints import hides_joints
from fusilex.core.design.model import Part

WAYS = ("right", "upper right", "up", "upper left", "left", "lower left", "down", "lower right")
LEADED, OTHERS = ("ic", "transistor"), "every fillet wetted, from land to lead"


def mark_lies(part: Part) -> str:
    """Where pin 1 lies seen from the part's own side, '' where there is none, or where the files do not say.

    The bottom is seen mirrored, as it is when the board is turned over.
    """
    if part.polarity != "known" or (pad := part.pin_one) is None:
        return ""
    dx, dy = pad.polygon.centroid.x - part.x, pad.polygon.centroid.y - part.y
    if math.hypot(dx, dy) < 1e-6:
        return ""
    dx = -dx if part.side == "bottom" else dx
    return WAYS[round(math.degrees(math.atan2(dy, dx)) / 45) % 8]


def joints_look(part: Part) -> str:
    """How good joints of a part look."""
    many = len(part.joints)
    if hides_joints(part.package):
        return "nothing but the side fillets, if it has any"
    if part.through_hole:
        hole = "hole filled" if all(p.barrel for p in part.joints) else "on the copper side, no barrel to fill"
        return f"{many} {'pin' if many == 1 else 'pins'}, a hollow cone about each, {hole}"
    if part.package.family in LEADED:
        return f"{many} leads wetted to heel and toe, no thread between"
    if many == 2:
        return "both ends wetted up the side, alike"
    return f"{many} joints, {OTHERS}"


def light(part: Part) -> str:
    """From where to look and to light what cannot be seen from straight above, '' where a ring of light does."""
    if hides_joints(part.package):
        return "tilt the board by half: light low along its edge; what lies beneath, Test tells"
    if part.through_hole:
        if not all(p.barrel for p in part.joints):
            return "from the copper side: light low, round every cone; a ring that moves is cracked"
        return "from both sides: light through the hole shows how far it is filled"
    if part.package.family in LEADED:
        return "light low from the side, tilt towards you: heels hide behind the leads"
    if part.package.height > 3:
        return "tilt to all four sides: it casts its shadow on its own joints"
    return ""
