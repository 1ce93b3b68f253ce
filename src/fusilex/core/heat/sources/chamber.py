"""An oven's inside: elements, air, walls and tray about the boards."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from fusilex.core.heat.board import Board, fourth
from fusilex.core.heat.matter import EMISSIVITY, SIGMA
from fusilex.core.heat.oven import Loading

Floats = NDArray[np.float64]
TRAY_J_PER_M2K, TRAY_GAP_W_PER_M2K = 0.8e-3 * 7850.0 * 490.0, 150.0
"""A tray of 0.8 mm steel, and the dry gap between it and a board that lies flat on it."""


class Chamber:
    """r ovens: temperatures of elements, air, walls and tray (°C), and energy taken and lost so far (J)."""

    def __init__(
        self, oven: Mapping[str, Floats], board: Board, loading: Loading, start: Floats, room_c: float
    ) -> None:
        self.oven, self.board, self.room_c, self.copies = oven, board, room_c, loading.copies
        self.heater, self.air, self.wall, self.tray = (start.copy() for _ in range(4))
        self.tray_m2 = float(board.below.sum())
        self.taken, self.lost = np.zeros(len(start)), np.zeros(len(start))
        self._before: tuple[Floats, Floats] | None = None
        self._begun = start.copy()

    @property
    def hottest(self) -> Floats:
        return self.heater

    def felt(self) -> Floats:
        return self.air

    def go(self, power: Floats, open_share: Floats) -> Floats:
        """A step with the elements' power (W): the heat (W) into each cell and body. The air, which has next to no
        inertia, goes implicitly; elements and walls by Adams and Bashforth.
        """
        oven, board, step = self.oven, self.board, self.board.step
        blow, room_c = oven["convection_w_per_m2k"], self.room_c
        door = oven["door_w_per_k"] * open_share
        warm = np.einsum("ij,ij->j", board.shows, board.state) + self.tray_m2 * self.tray
        whole = board.shows.sum(axis=0) + self.tray_m2
        store = oven["air_j_per_k"] / step
        passing = oven["heater_air_w_per_k"], oven["wall_air_w_per_k"]
        given = store * self.air + passing[0] * self.heater + passing[1] * self.wall + door * room_c
        given = given + self.copies * blow * warm
        air = given / (store + passing[0] + passing[1] + self.copies * blow * whole + door)
        shine, glow, dim = fourth(board.state), fourth(self.heater), fourth(self.wall)
        view, gray = oven["view"], EMISSIVITY * SIGMA
        bright = np.einsum("ij,ij->j", board.shows, shine) + self.tray_m2 * fourth(self.tray)
        from_heater = self.copies * gray * view * (whole * glow - bright)
        from_wall = self.copies * gray * (1 - view) * (whole * dim - bright)
        between = gray * oven["glow_m2"] * (glow - dim)
        seen = view * glow + (1 - view) * dim
        touch = TRAY_GAP_W_PER_M2K * board.below[:, None] * (self.tray - board.state)
        flux = board.shows * (blow * (air - board.state) + gray * (seen - shine)) + touch + board.between()
        heat_in = power - passing[0] * (self.heater - air) - between - from_heater
        wall_in = passing[1] * (air - self.wall) + between - from_wall - oven["loss_w_per_k"] * (self.wall - room_c)
        self.taken += step * power
        self.lost += step * (oven["loss_w_per_k"] * (self.wall - room_c) + door * (air - room_c))
        old = self._before or (heat_in, wall_in)
        if self.tray_m2:
            lit = self.tray_m2 * (blow * (air - self.tray) + gray * (seen - fourth(self.tray))) - touch.sum(axis=0)
            self.tray = self.tray + step * lit / (self.tray_m2 * TRAY_J_PER_M2K)
        self.heater = self.heater + step * (1.5 * heat_in - 0.5 * old[0]) / oven["heater_j_per_k"]
        self.wall = self.wall + step * (1.5 * wall_in - 0.5 * old[1]) / oven["wall_j_per_k"]
        self.air, self._before = air, (heat_in, wall_in)
        return np.asarray(flux)

    def stored(self) -> Floats:
        """More in store than at the start (J), without the boards."""
        oven, begun = self.oven, self._begun
        found = oven["heater_j_per_k"] * (self.heater - begun) + oven["air_j_per_k"] * (self.air - begun)
        tray = self.copies * self.tray_m2 * TRAY_J_PER_M2K * (self.tray - begun)
        return np.asarray(found + oven["wall_j_per_k"] * (self.wall - begun) + tray)
