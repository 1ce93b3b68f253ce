"""The camera that looks down at the bed, as a stand-in: it sees the panel where it truly lies."""

from __future__ import annotations

import math
import random
from collections.abc import Sequence

from msgspec import Struct

Place = tuple[float, float]


class TrueLie(Struct, frozen=True):
    """How a panel truly lies in the clamp: shifted (mm) and turned (degrees, about its corner), stretched a little."""

    dx: float
    dy: float
    turn: float
    scale: float

    def on_bed(self, x: float, y: float) -> Place:
        """Where a point of the panel as it lies (mm) is on the bed."""
        angle = math.radians(self.turn)
        cos, sin = self.scale * math.cos(angle), self.scale * math.sin(angle)
        return x * cos - y * sin + self.dx, x * sin + y * cos + self.dy

    def on_panel(self, x: float, y: float) -> Place:
        """The point of the panel that lies at x, y of the bed."""
        angle = math.radians(self.turn)
        u, v = (x - self.dx) / self.scale, (y - self.dy) / self.scale
        return u * math.cos(angle) + v * math.sin(angle), -u * math.sin(angle) + v * math.cos(angle)


def covered(names: Sequence[str], panel: int, chance: float, seed: int = 11) -> set[str]:
    """Reference points that tape or paste covers on a panel, seeded."""
    pick = random.Random(f"{seed} {panel} covered")
    return {name for name in names if pick.random() < chance}


def lie_of(corner: Place, panel: int, seed: int = 11) -> TrueLie:
    """How a panel lies, seeded: within half a millimetre and a quarter of a degree of the clamp's corner."""
    pick = random.Random(seed * 1000 + panel)
    return TrueLie(
        corner[0] + pick.uniform(-0.5, 0.5),
        corner[1] + pick.uniform(-0.5, 0.5),
        pick.uniform(-0.25, 0.25),
        1 + pick.gauss(0, 0.0002),
    )
