"""A plate or a skillet below the board and the room above it; for hot air alone nothing is below."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from fusilex.core.heat.board import Board, fourth
from fusilex.core.heat.matter import EMISSIVITY, SIGMA
from fusilex.core.heat.oven import FOIL_GAP, FOIL_UNEVEN, PLATE, Loading, OvenModel

Floats = NDArray[np.float64]
DISC = 1.6
"""A pan reaches as far beyond its ring: radii of the ring."""


class Plate:
    """r plates: temperatures of element and plate (°C, the plate's mean), and energy taken and lost so far (J)."""

    def __init__(
        self,
        ovens: Sequence[OvenModel],
        oven: Mapping[str, Floats],
        board: Board,
        loading: Loading,
        start: Floats,
        room_c: float,
    ) -> None:
        self.oven, self.board, self.room_c, self.copies = oven, board, room_c, loading.copies
        self.heater, self.plate, self.air = start.copy(), start.copy(), np.full(len(start), room_c)
        there = np.array([float(o.kind == PLATE) for o in ovens])
        foil = np.array([FOIL_GAP if o.foil else 1.0 for o in ovens])
        self.gap = oven["gap_w_per_m2k"] * foil * there
        self.rise = 1 + ring_share(board.xy, ovens, oven["uneven"])
        self.taken, self.lost = np.zeros(len(start)), np.zeros(len(start))
        self._before: tuple[Floats, Floats] | None = None
        self._begun = start.copy()

    @property
    def hottest(self) -> Floats:
        return self.heater

    def felt(self) -> Floats:
        return self.plate

    def go(self, power: Floats, open_share: Floats) -> Floats:
        """A step with the element's power (W): the heat (W) into each cell and body. `open_share` of a plate means
        nothing: it has no door.
        """
        oven, board, step, room = self.oven, self.board, self.board.step, self.room_c
        under = room + self.rise * (self.plate - room)
        into = self.gap * board.below[:, None] * (under - board.state)
        away = board.shows * (
            oven["still_w_per_m2k"] * (board.state - room)
            + EMISSIVITY * SIGMA * (fourth(board.state) - fourth(np.array(room)))
        )
        up = oven["heater_plate_w_per_k"] * (self.heater - self.plate)
        leak = oven["plate_loss_w_per_k"] * (self.plate - room)
        heat_in, plate_in = power - up, up - leak - self.copies * into.sum(axis=0)
        self.taken += step * power
        self.lost += step * (leak + self.copies * away.sum(axis=0))
        old = self._before or (heat_in, plate_in)
        self.heater = self.heater + step * (1.5 * heat_in - 0.5 * old[0]) / oven["heater_j_per_k"]
        self.plate = self.plate + step * (1.5 * plate_in - 0.5 * old[1]) / oven["plate_j_per_k"]
        self._before = heat_in, plate_in
        return np.asarray(into - away + board.between())

    def stored(self) -> Floats:
        """More in store than at the start (J), without the boards."""
        oven, begun = self.oven, self._begun
        found = oven["heater_j_per_k"] * (self.heater - begun) + oven["plate_j_per_k"] * (self.plate - begun)
        return np.asarray(found)


def ring_share(xy: Floats, ovens: Sequence[OvenModel], uneven: Floats) -> Floats:
    """By what share of its rise above the room a plate is warmer than its mean (k × r) at places (k × 2, mm from its
    middle): most over the ring, about it as a bell half its radius wide.
    """
    ring = np.array([o.ring_mm for o in ovens])
    foil = np.array([FOIL_UNEVEN if o.foil else 1.0 for o in ovens])
    radius = np.maximum(ring, 1.0)

    def bell(x: Floats) -> Floats:
        return np.asarray(np.exp(-(((x - 1) / 0.5) ** 2)))

    steps = (np.arange(200) + 0.5) / 200 * DISC
    mean = float((bell(steps) * steps).sum() / steps.sum())
    away = bell(np.hypot(*xy.T)[:, None] / radius)
    return np.asarray(np.where(ring > 0, uneven * foil * (away - mean) / (1 - mean), 0.0))
