"""A schedule tied to what is seen: clocks differ from day to day, solder shines when it melts."""

from __future__ import annotations

import math
from collections.abc import Sequence

from msgspec import Struct

from fusilex.core.heat.predict import Predicted
from fusilex.core.heat.schedule import SET, Step

LEAST_HOLD_S, MOST_HOLD_S, USUAL_HOLD_S = 5.0, 60.0, 15.0


class Shine(Struct, frozen=True):
    """The part that shines first and the one that shines last, and when (s, NaN: never)."""

    first: str
    first_s: float
    last: str
    last_s: float

    def hold_s(self, off_s: float) -> float:
        """How long to wait from the last shine until the heat goes off at `off_s`, within what hands can do.

        >>> Shine("R1", 200.0, "C1", 230.0).hold_s(250.0)
        20.0
        """
        if math.isnan(self.last_s):
            return USUAL_HOLD_S
        return min(max(off_s - self.last_s, LEAST_HOLD_S), MOST_HOLD_S)


def shine_of(found: Predicted) -> Shine:
    """When eyes will see the first and the last joint melt."""
    melts = found.molten.melts
    last = found.last
    never = [k for k, m in enumerate(melts.tolist()) if m == m]
    if not never:
        return Shine("", math.nan, found.joints[last].part, math.nan)
    first = min(never, key=lambda k: float(melts[k]))
    return Shine(found.joints[first].part, float(melts[first]), found.joints[last].part, float(melts[last]))


def off_at(steps: Sequence[Step]) -> float:
    """When the heat goes off (s); NaN where it never does."""
    return next((t for t, what, _ in reversed(steps) if what == "switch off"), math.nan)


def tied(steps: Sequence[Step], shine: Shine) -> list[str]:
    """Beside each step what is seen about then, '' before anything shines.

    >>> tied([(0.0, "turn to", 160.0), (245.0, "switch off", None)], Shine("R1", 210.0, "C1", 230.0))
    ['', '15 s after the last one, C1, shines']
    """
    found = []
    for t, what, _ in steps:
        if what == SET or math.isnan(shine.first_s) or t < shine.first_s - 20:
            found.append("")
        elif t < shine.first_s:
            found.append(f"just before the first shine, at {shine.first}")
        elif math.isnan(shine.last_s) or t < shine.last_s:
            found.append(f"{t - shine.first_s:.0f} s after the first shine, at {shine.first}")
        else:
            found.append(f"{t - shine.last_s:.0f} s after the last one, {shine.last}, shines")
    return found
