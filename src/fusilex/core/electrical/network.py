"""What a meter reads between two nets of a good board: the resistance of the parts that join them."""

from __future__ import annotations

import math

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from fusilex.core.design.connectivity import DisjointSet
from fusilex.core.design.model import Design
from fusilex.core.values import read_ohms, read_value

COIL_OHM = 0.1
"""Taken for every inductor; a meter reads it as joined."""
SHORTEST_OHM = 1e-3
USUAL_TOLERANCE = 0.05
LEAST_OHM, MOST_OHM = 5.0, 2e6
"""Resistors outside of this are not told from leads and fingers."""
Branch = tuple[str, str, float]


class Network(Struct, frozen=True, eq=False):
    """Nets joined by resistances. `inverse` is the pseudo-inverse of the network's Laplacian (S⁻¹)."""

    index: dict[str, int]
    piece: NDArray[np.int_]
    inverse: NDArray[np.float64]

    def between(self, a: str, b: str) -> float:
        """Resistance (Ω) between two nets: G⁺aa + G⁺bb − 2 G⁺ab (Klein and Randić 1993), infinite when nothing joins
        them.
        """
        if a not in self.index or b not in self.index:
            return math.inf
        i, j = self.index[a], self.index[b]
        if self.piece[i] != self.piece[j]:
            return math.inf
        g = self.inverse
        return float(g[i, i] + g[j, j] - 2 * g[i, j])


class ResistorNetwork(Struct, frozen=True, eq=False):
    """The network of a design without the resistors whose value nobody can read, and with them as wires. `tolerance` is
    the widest share any of its resistors may be off, which bounds how far a whole network of them may be.
    """

    without: Network
    wired: Network
    tolerance: float = USUAL_TOLERANCE

    def between(self, a: str, b: str) -> float:
        """Resistance (Ω) between two nets, infinite when nothing joins them, NaN when it hangs on a value that cannot
        be read.
        """
        high, low = self.without.between(a, b), self.wired.between(a, b)
        return high if high == low or math.isclose(high, low, rel_tol=1e-6) else math.nan

    def band(self, a: str, b: str) -> tuple[float, float]:
        """Least and most (Ω) that good resistors between two nets give in their circuit; 0 and infinite where leads,
        fingers or an unread value leave nothing to tell.

        Resistance grows with each branch and scales with all of them, so branches within a share leave the whole
        within the same share.
        """
        ohm = self.between(a, b)
        if not LEAST_OHM <= ohm <= MOST_OHM:  # NaN too
            return 0.0, math.inf
        return ohm * (1 - self.tolerance), ohm * (1 + self.tolerance)


def resistor_network(design: Design) -> ResistorNetwork:
    """Network of a design's two-pad resistors (value read from their text) and inductors that are to be fitted."""
    branches: list[Branch] = []
    unread: list[Branch] = []
    tolerance = USUAL_TOLERANCE
    for part in design.parts:
        nets = sorted({p.net for p in part.pads if p.net})
        if len(nets) != 2 or len(part.pads) != 2 or not part.populated:
            continue
        if part.package.family == "resistor":
            ohm = read_ohms(part.value)
            if ohm is None:
                unread.append((nets[0], nets[1], SHORTEST_OHM))
            else:
                branches.append((nets[0], nets[1], max(ohm, SHORTEST_OHM)))
                own = read_value(part.value, "resistor").tolerance_percent or 0.0
                tolerance = max(tolerance, own / 100)
        elif part.package.family == "inductor":
            branches.append((nets[0], nets[1], COIL_OHM))
    without = _network(branches)
    return ResistorNetwork(without, _network(branches + unread) if unread else without, tolerance)


def _network(branches: list[Branch]) -> Network:
    names = sorted({n for a, b, _ in branches for n in (a, b)})
    index = {name: i for i, name in enumerate(names)}
    laplacian = np.zeros((len(names), len(names)))
    joined = DisjointSet(len(names))
    for a, b, ohm in branches:
        i, j = index[a], index[b]
        joined.join(i, j)
        laplacian[[i, j], [i, j]] += 1 / ohm
        laplacian[[i, j], [j, i]] -= 1 / ohm
    inverse = np.asarray(np.linalg.pinv(laplacian, hermitian=True) if names else laplacian, dtype=float)
    piece = np.array([joined.find(i) for i in range(len(names))], dtype=int)
    return Network(index, piece, inverse)
