"""How far a hand has to turn a part: the least turn that is right, by the part's own symmetry."""

from __future__ import annotations

import numpy as np

from fusilex.core.design.model import Part
from fusilex.core.packages.catalogue import TWO_ENDED

CLOSE_MM = 0.05


def repeats_at(part: Part) -> float:
    """The turn (90, 180 or 360 degrees) that lays a part onto itself with nothing changed: its pads and nets map onto
    themselves, or it is a two-ended body without a mark, whose ends are alike.
    """
    if part.package.polarised:
        return 360.0
    if part.package.family in TWO_ENDED and len(part.pads) in (0, 2):
        return 180.0
    return next((turn for turn in (90.0, 180.0) if _maps(part, turn)), 360.0)


def _maps(part: Part, turn: float) -> bool:
    """True where each pad comes to lie on one of the same net."""
    if not part.pads:
        return False
    at = np.array([[p.polygon.centroid.x, p.polygon.centroid.y] for p in part.pads]) - (part.x, part.y)
    angle = np.radians(turn)
    turned = at @ np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
    away = np.hypot(*(turned[:, None] - at[None]).transpose(2, 0, 1))
    onto = away.argmin(axis=1)
    nets = [p.net for p in part.pads]
    same = all(nets[i] is not None and nets[i] == nets[j] for i, j in enumerate(onto.tolist()))
    return bool(same and away.min(axis=1).max() < CLOSE_MM and len(set(onto.tolist())) == len(at))


def least_turn(turn: float, repeats: float) -> float:
    """The smallest turn, in (−repeats / 2, repeats / 2], that comes to the same as a turn (degrees, to the left).

    >>> least_turn(270, 360), least_turn(180, 180), least_turn(270, 180), least_turn(135, 90)
    (-90.0, 0.0, 90.0, 45.0)
    """
    return repeats / 2 - (repeats / 2 - turn) % repeats


def turn_words(turn: float, start: str = "as the bin shows it") -> str:
    """A turn for the hand.

    >>> turn_words(0), turn_words(90), turn_words(-45.5), turn_words(180)
    ('as the bin shows it', 'turned 90° left', 'turned 45.5° right', 'turned round')
    """
    if abs(turn) < 0.05:
        return start
    if abs(abs(turn) - 180) < 0.05:
        return "turned round"
    return f"turned {abs(turn):g}° {'left' if turn > 0 else 'right'}"
