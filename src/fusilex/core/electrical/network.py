"""What a meter reads between two nets of a good board: the resistance of the parts that join them."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fusilex.core.design.connectivity import DisjointSet
from fusilex.core.design.model import Design
from fusilex.core.values import read_ohms

COIL_OHM = 0.1
"""Taken for every inductor; a meter reads it as joined."""
LEAST_OHM = 1e-3
Branch = tuple[str, str, float]


@dataclass(frozen=True, eq=False)
class Network:
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


@dataclass(frozen=True, eq=False)
class ResistorNetwork:
    """The network of a design without the resistors whose value nobody can read, and with them as wires."""

    without: Network
    wired: Network

    def between(self, a: str, b: str) -> float:
        """Resistance (Ω) between two nets, infinite when nothing joins them, NaN when it hangs on a value that cannot
        be read.
        """
        high, low = self.without.between(a, b), self.wired.between(a, b)
        return high if high == low or math.isclose(high, low, rel_tol=1e-6) else math.nan


def resistor_network(design: Design) -> ResistorNetwork:
    """Network of a design's two-pad resistors (value read from their text) and inductors that are to be fitted."""
    branches: list[Branch] = []
    unread: list[Branch] = []
    for part in design.parts:
        nets = sorted({p.net for p in part.pads if p.net})
        if len(nets) != 2 or len(part.pads) != 2 or not part.populated:
            continue
        if part.package.family == "resistor":
            ohm = read_ohms(part.value)
            if ohm is None:
                unread.append((nets[0], nets[1], LEAST_OHM))
            else:
                branches.append((nets[0], nets[1], max(ohm, LEAST_OHM)))
        elif part.package.family == "inductor":
            branches.append((nets[0], nets[1], COIL_OHM))
    without = _network(branches)
    return ResistorNetwork(without, _network(branches + unread) if unread else without)


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
