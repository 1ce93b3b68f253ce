"""The board in a run: temperatures of its cells and bodies, and how heat spreads in a step."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from fusilex.core.heat.matter import KELVIN
from fusilex.core.heat.oven import Loading, OvenModel
from fusilex.core.heat.sheet import Sheet

Floats = NDArray[np.float64]
DENSE_CELLS = 500
"""Up to so many cells a product with the whole inverse is quicker than solving with a sparse one: of 160 cells in 96
ovens twenty times.
"""


class Board:
    """n cells and m bodies in r ovens: `state` is (n + m) × r, °C. `shows` is what each has of the heat of its place
    ((n + m) × r, m²): its area, more where a place of the tray is hotter than its middle.
    """

    def __init__(
        self, sheet: Sheet, ovens: Sequence[OvenModel], loading: Loading, start_c: float, step: float, flat: bool
    ) -> None:
        from scipy import sparse
        from scipy.sparse.linalg import splu

        lumps, n = sheet.lumps, len(sheet)
        self.heat = np.concatenate([sheet.heat, lumps.heat])
        lies = np.maximum(sheet.below - sheet.edge, 0.0)
        self.below = np.concatenate([lies, np.zeros(len(lumps))]) if flat else np.zeros(n + len(lumps))
        """What lies on a plate or tray (m²), and sees nothing else."""
        area = np.concatenate([sheet.above + sheet.below, lumps.area]) - self.below
        self.xy = np.concatenate([sheet.xy, lumps.stands @ sheet.xy]) - _middle(sheet) + loading.place_mm
        self.shows = area[:, None] * _evenness(self.xy, ovens)
        self.state = np.full((len(self.heat), len(ovens)), float(start_c))
        self.step, self.n = step, n
        self.stands = sparse.csr_array(lumps.stands)
        self.back = sparse.csr_array(lumps.stands.T.copy())
        free = lumps.contact[:, None] * np.array([o["contact"] for o in ovens])[None]
        yields = 1 / np.maximum(lumps.heat, 1e-12) + (lumps.stands**2 / sheet.heat).sum(axis=1)
        self.contact = free / (1 + free * step * yields[:, None])  # stable however good it is
        a, b = sheet.pairs.T if len(sheet.pairs) else (np.empty(0, int), np.empty(0, int))
        g = sheet.conductance
        around = np.concatenate([-g, -g])
        off = sparse.coo_array((around, (np.concatenate([a, b]), np.concatenate([b, a]))), shape=(n, n)).tocsr()
        diagonal = np.bincount(a, g, n) + np.bincount(b, g, n)
        flow = off + sparse.diags_array(diagonal)
        rest = sparse.diags_array(sheet.heat / step)
        self.forward = (rest - flow / 2).tocsr()
        ahead = (rest + flow / 2).tocsc()
        if n <= DENSE_CELLS:
            self.solve = np.linalg.inv(ahead.toarray()).__matmul__
        else:
            self.solve = splu(ahead, permc_spec="MMD_AT_PLUS_A").solve

    def go(self, flux: Floats) -> None:
        """A step with a flux (W) into every cell and body."""
        n = self.n
        self.state = np.concatenate(
            [
                self.solve(self.forward @ self.state[:n] + flux[:n]),
                self.state[n:] + self.step * flux[n:] / self.heat[n:, None],
            ]
        )

    def between(self) -> Floats:
        """Flux (W) between bodies and what they stand on."""
        if self.n == len(self.state):
            return np.zeros_like(self.state)
        into = self.contact * (self.stands @ self.state[: self.n] - self.state[self.n :])
        return np.concatenate([-(self.back @ into), into])


def _middle(sheet: Sheet) -> Floats:
    rows, columns = sheet.grid.shape
    return np.asarray(np.array([columns, rows]) * sheet.size / 2)


def _evenness(xy: Floats, ovens: Sequence[OvenModel]) -> Floats:
    """Heat at each place against the middle of the tray: straight in the logarithm from side to side."""
    tray = np.array([o.tray_mm for o in ovens])
    right, back = (np.log([o[name] for o in ovens]) for name in ("right", "back"))
    return np.asarray(np.exp(xy[:, :1] / tray[:, 0] * right + xy[:, 1:] / tray[:, 1] * back))


def fourth(celsius: Floats) -> Floats:
    """The fourth power of what it is in kelvin."""
    square = (celsius + KELVIN) ** 2
    return np.asarray(square * square)
