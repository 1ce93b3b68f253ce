"""What copper touches what: pieces joined by a spatial index and a disjoint set, never by one great union."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence

import numpy as np
import shapely
from msgspec import Struct
from numpy.typing import NDArray

from fusilex.core.design.model import Design, Layer


class DisjointSet:
    """Union–find over n items with path halving (Tarjan 1975)."""

    def __init__(self, n: int) -> None:
        self.parent = list(range(n))

    def find(self, item: int) -> int:
        while self.parent[item] != item:
            self.parent[item] = self.parent[self.parent[item]]
            item = self.parent[item]
        return item

    def join(self, a: int, b: int) -> None:
        self.parent[self.find(a)] = self.find(b)


class CopperNets(Struct, frozen=True, eq=False):
    """Which connected piece (an integer) each copper polygon belongs to, by layer side."""

    pieces: dict[str, NDArray[np.int_]]
    layers: dict[str, Layer]

    def at(self, points: NDArray[np.float64], sides: Sequence[str | None]) -> NDArray[np.int_]:
        """Piece under each point (n × 2, mm) on its side, or on any where that is None; −1 where no copper is."""
        found = np.full(len(points), -1)
        for name, layer in self.layers.items():
            asked = np.flatnonzero([found[i] < 0 and side in (None, name) for i, side in enumerate(sides)])
            which, hit = layer.tree.query(shapely.points(points[asked]), predicate="intersects")
            found[asked[which]] = self.pieces[name][hit]
        return found


def copper_pieces(design: Design) -> CopperNets:
    """Connected pieces of copper over all layers, joined through plated holes."""
    layers = {item.side: item for item in design.layers if item.role in ("copper", "inner") and item.side}
    offsets, total = {}, 0
    for name, layer in layers.items():
        offsets[name] = total
        total += len(layer)
    joined = DisjointSet(total)
    for name, layer in layers.items():
        for i, j in zip(*_touching(layer), strict=True):
            joined.join(int(i) + offsets[name], int(j) + offsets[name])
    plated = [h for h in design.holes if h.plated]
    if plated:
        discs = shapely.buffer(shapely.points([[h.x, h.y] for h in plated]), [h.diameter / 2 for h in plated])
        first: dict[int, int] = {}
        deepest = max([design.copper_layers, 2, *(int(n) + 1 for n in layers if n.isdecimal())])
        for name, layer in layers.items():
            number = {"top": 1, "bottom": deepest}.get(name) or int(name)
            reached = [h.span is None or h.span[0] <= number <= h.span[1] for h in plated]
            holes, hits = layer.tree.query(discs, predicate="intersects")
            for hole, hit in zip(holes[np.array(reached)[holes]], hits[np.array(reached)[holes]], strict=True):
                joined.join(int(hit) + offsets[name], first.setdefault(int(hole), int(hit) + offsets[name]))
    return CopperNets(
        {
            name: np.array([joined.find(i + offsets[name]) for i in range(len(layer))], dtype=int)
            for name, layer in layers.items()
        },
        layers,
    )


def _touching(layer: Layer) -> tuple[NDArray[np.int_], NDArray[np.int_]]:
    """Pairs of polygons that touch. The larger of each pair is prepared: a ground pour meets hundreds of small ones."""
    a, b = layer.tree.query(layer.polygons)
    a, b = a[a < b], b[a < b]
    size = shapely.get_num_coordinates(layer.polygons)
    large, small = np.where(size[a] >= size[b], a, b), np.where(size[a] >= size[b], b, a)
    shapely.prepare(layer.polygons[large])
    hit = shapely.intersects(layer.polygons[large], layer.polygons[small])
    return large[hit], small[hit]


class NetFault(Struct, frozen=True):
    """`kind` is ``open`` (one net in several pieces), ``short`` (several nets in one piece) or ``bare`` (no copper
    there).
    """

    kind: str
    nets: tuple[str, ...]
    points: tuple[tuple[float, float], ...]


def inner_missing(design: Design) -> bool:
    """True where the board has inner copper that was not handed in, or was left aside: opens may be joined there."""
    there = sum(x.role == "inner" for x in design.layers)
    aside = any(f.role == "other" and "inner" in f.because for f in design.files)
    return aside or design.copper_layers > there + 2


def compare_with_netlist(design: Design) -> list[NetFault]:
    """Every net one connected piece, no two nets touching: the faults against the design's netlist, none when it
    agrees.
    """
    copper = copper_pieces(design)
    pieces_of: dict[str, dict[int, tuple[float, float]]] = defaultdict(dict)
    nets_of: dict[int, dict[str, tuple[float, float]]] = defaultdict(dict)
    faults = []
    at = np.array([[p.x, p.y] for p in design.netpoints]).reshape(-1, 2)
    for point, piece in zip(design.netpoints, copper.at(at, [p.side for p in design.netpoints]).tolist(), strict=True):
        if piece < 0:
            faults.append(NetFault("bare", (point.net or f"{point.ref}.{point.pin}",), ((point.x, point.y),)))
            continue
        net = point.net or f"{point.ref}.{point.pin}"
        pieces_of[net].setdefault(piece, (point.x, point.y))
        nets_of[piece].setdefault(net, (point.x, point.y))
    faults += [NetFault("open", (net,), tuple(p.values())) for net, p in pieces_of.items() if len(p) > 1]
    faults += [NetFault("short", tuple(n), tuple(n.values())) for n in nets_of.values() if len(n) > 1]
    return faults
