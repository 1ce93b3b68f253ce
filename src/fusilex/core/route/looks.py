"""How a board looks at each step of its route."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec import Struct

from fusilex.core.design.model import Part
from fusilex.core.route.steps import ASIDE, WITH_PARTS, Steps


class BoardLook(Struct, frozen=True):
    """When a step is done: which side lies up, whether its paste is wet, and the parts that are on by then."""

    side: str
    wet: bool
    parts: tuple[Part, ...]


def looks(steps: Steps, shares: Mapping[str, Sequence[Part]]) -> dict[str, BoardLook]:
    """A board after each step; `shares` are the parts each step puts on."""
    found: dict[str, BoardLook] = {}
    side, wet, there = "top", False, tuple[Part, ...]()
    for step in steps:
        if step.side in ("top", "bottom"):
            side = step.side
        if step.station == "Print":
            wet = True
        elif step.station == "Reflow":
            wet = False
        elif step.station in WITH_PARTS:
            there = (*there, *shares.get(step.id, ()))
        if step.station == "Hand":
            own = {p.side for p in shares.get(step.id, ()) if not p.through_hole}
            side = own.pop() if len(own) == 1 else side
        elif step.side == "both" and step.station != ASIDE:
            side = "top"
        found[step.id] = BoardLook(side, wet, there)
    return found
