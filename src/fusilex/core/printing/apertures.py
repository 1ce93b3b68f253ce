"""Every stencil aperture with its area and aspect ratio."""

from __future__ import annotations

from collections import defaultdict

import numpy as np
import shapely
from msgspec import Struct, field
from numpy.typing import NDArray
from shapely import Polygon

from fusilex.core.convex import shared_area
from fusilex.core.design.connectivity import DisjointSet
from fusilex.core.design.model import Design, Layer, Pad
from fusilex.core.overlay import shared_by, union_of

AREA_GO, AREA_STOP, ASPECT_GO = 0.66, 0.60, 1.5
THINNEST_FOIL, THICKEST_FOIL = 0.02, 1.0
FOIL_MM = f"{THINNEST_FOIL:g} to {THICKEST_FOIL:g} mm thick"
LEAST_FOIL = 0.05
"""The thinnest foil (mm) that stencils are cut from."""
ROUND, CONVEX, LOST, HALVINGS = 0.94, 0.98, 0.005, 14
LEAST_MM2 = 0.002
"""No stencil has smaller apertures: slivers that were left over where shapes meet."""
UNDER = 0.25
"""Share of a pad from which on it lies under an aperture."""


class Apertures(Struct, frozen=True, eq=False):
    """All apertures of one side. Arrays of n; lengths mm, areas mm². `refs` and `pins` are '' where no part claims one.

    `joined` names the pads of different nets that lie under one aperture; `pad` (n) is the index, among the design's
    pads, of the one each aperture covers most of, −1 where there is none.
    """

    side: str
    polygons: NDArray[np.object_]
    refs: tuple[str, ...]
    pins: tuple[str, ...]
    x: NDArray[np.float64]
    y: NDArray[np.float64]
    area: NDArray[np.float64]
    perimeter: NDArray[np.float64]
    width: NDArray[np.float64]
    joined: tuple[tuple[str, ...], ...] = ()
    pad: NDArray[np.int_] = field(default_factory=lambda: np.zeros(0, dtype=int))

    def __len__(self) -> int:
        return len(self.area)

    def area_ratio(self, foil: float) -> NDArray[np.float64]:
        """Aperture area over wall area, area / (perimeter × t), for any shape (IPC-7525). `foil` in mm, > 0."""
        return np.asarray(self.area / (self.perimeter * _positive(foil)))

    def aspect_ratio(self, foil: float) -> NDArray[np.float64]:
        """Narrowest width over foil thickness, W / t (IPC-7525)."""
        return np.asarray(self.width / _positive(foil))


def _positive(foil: float) -> float:
    if not THINNEST_FOIL <= foil <= THICKEST_FOIL:
        raise ValueError(f"a foil is {FOIL_MM}, not {foil:g} mm")
    return foil


def apertures_of(design: Design, side: str) -> Apertures:
    """Apertures from the paste layer of a side: its connected areas, each with the pad beneath; empty when the side
    has no paste.

    What is drawn over one another, or twice, is one aperture.
    """
    layer = design.layer("paste", side)
    polygons, names = connected(layer) if layer is not None else (np.empty(0, dtype=object), [])
    cut = np.flatnonzero(shapely.area(polygons) >= LEAST_MM2)
    polygons, names = polygons[cut], [names[i] for i in cut.tolist()]
    there = [n for n, p in enumerate(design.pads) if p.side == side or p.drill > 0]
    pads = [design.pads[n] for n in there]
    own = np.full(len(polygons), -1)
    under: dict[int, list[int]] = defaultdict(list)
    if len(pads) and len(polygons):
        pad_shapes = np.array([p.polygon for p in pads], dtype=object)
        which, hit = shapely.STRtree(pad_shapes).query(polygons, predicate="intersects")
        shared = shared_area(polygons[which], pad_shapes[hit])
        order = np.lexsort((hit, shared, which))
        own[which[order]] = hit[order]  # the largest share is written last
        lies_under = shared > UNDER * shapely.area(pad_shapes)[hit]
        several = np.bincount(which[lies_under], minlength=len(polygons)) > 1
        for aperture, pad in zip(which[lies_under].tolist(), hit[lies_under].tolist(), strict=True):
            if several[aperture]:
                under[aperture].append(pad)
        for aperture, pad in enumerate(own.tolist()):
            if names[aperture] is None and pad >= 0:
                names[aperture] = (pads[pad].ref, pads[pad].pin)
        own = np.where(own >= 0, np.array([*there, -1])[own], -1)
    centres = shapely.get_coordinates(shapely.centroid(polygons)).reshape(-1, 2)
    return Apertures(
        side,
        polygons,
        tuple(n[0] if n else "" for n in names),
        tuple(n[1] if n else "" for n in names),
        centres[:, 0],
        centres[:, 1],
        shapely.area(polygons).astype(float),
        shapely.length(polygons).astype(float),
        narrowest(polygons),
        tuple(pair for i in sorted(under) if (pair := _joined([pads[k] for k in under[i]]))),
        own,
    )


def _joined(pads: list[Pad]) -> tuple[str, ...]:
    """Names of pads that one aperture would join and that are not of one net. Pads that no file names and that touch
    are one land, which was guessed as two.
    """
    apart = [p for n, p in enumerate(pads) if p.net or p.named or not any(map(p.polygon.intersects, _lands(pads[:n])))]
    by_net = {pad.net or pad.name: pad.name for pad in apart}
    return tuple(by_net.values()) if len(by_net) > 1 else ()


def _lands(pads: list[Pad]) -> list[shapely.Polygon]:
    return [pad.polygon for pad in pads]


def connected(layer: Layer) -> tuple[NDArray[np.object_], list[tuple[str, str] | None]]:
    """The connected areas of a layer, and the pin that one of their pieces names; pieces that touch nothing stay as
    they are.
    """
    shapes = layer.polygons
    a, b = layer.tree.query(shapes, predicate="intersects")
    a, b = a[a < b], b[a < b]
    if not len(a):
        return shapes, list(layer.pins)
    pieces = DisjointSet(len(shapes))
    for i, j in zip(a.tolist(), b.tolist(), strict=True):
        pieces.join(i, j)
    groups: dict[int, list[int]] = defaultdict(list)
    for i in range(len(shapes)):
        groups[pieces.find(i)].append(i)
    found: list[Polygon] = []
    names: list[tuple[str, str] | None] = []
    for members in groups.values():
        made = [shapes[members[0]]] if len(members) == 1 else shapely.get_parts(union_of(shapes[members])).tolist()
        named = {layer.pins[i] for i in members} - {None}
        found += made
        names += [named.copy().pop() if len(named) == 1 else None] * len(made)
    polygons = np.empty(len(found), dtype=object)
    polygons[:] = found
    return polygons, names


def narrowest(polygons: NDArray[np.object_]) -> NDArray[np.float64]:
    """Narrowest width of each polygon (n, mm): a circle's diameter, the short side of a convex shape, else its
    thinnest arm.

    The thinnest arm is what vanishes first when the shape is shrunk and grown again: the largest width at which that
    still gives back all of it but `LOST` (morphological opening, square corners).

    >>> cross = shapely.union(shapely.box(-2, -0.25, 2, 0.25), shapely.box(-0.5, -2, 0.5, 2))
    >>> float(narrowest(np.array([cross, shapely.box(0, 0, 3, 0.4)], dtype=object)).round(3)[0])
    0.5
    """
    if not len(polygons):
        return np.empty(0)
    area, hull = shapely.area(polygons), shapely.area(shapely.convex_hull(polygons))
    widths = _short_sides(polygons)
    disc = roundness(area, shapely.length(polygons)) > ROUND
    widths = np.where(disc, 2 * np.sqrt(area / np.pi), widths)
    bent = np.flatnonzero((area < CONVEX * hull) & ~disc)
    if len(bent):
        widths[bent] = _thinnest_arms(polygons[bent], widths[bent])
    return np.asarray(widths)


def _short_sides(polygons: NDArray[np.object_]) -> NDArray[np.float64]:
    """The short side of the smallest rectangle around each polygon (n, mm)."""

    def ways(rings: NDArray[np.object_]) -> NDArray[np.float64]:
        """From corner to corner (k, 4, 2)."""
        return np.diff(shapely.get_coordinates(rings).reshape(len(rings), 5, 2), axis=1)

    short = np.full(len(polygons), np.nan)
    four = np.flatnonzero(shapely.get_num_coordinates(polygons) == 5)
    way = ways(polygons[four])
    square = (np.abs(way[:, 0] + way[:, 2]).max(axis=1, initial=0) < 1e-9) & (
        np.abs((way[:, 0] * way[:, 1]).sum(axis=1)) < 1e-9
    )
    short[four[square]] = np.hypot(*way[square, :2].transpose(2, 0, 1)).min(axis=1)  # most are rectangles themselves
    rest = np.flatnonzero(np.isnan(short))
    if len(rest):
        short[rest] = np.hypot(*ways(shapely.oriented_envelope(polygons[rest]))[:, :2].transpose(2, 0, 1)).min(axis=1)
    return short


def _thinnest_arms(polygons: NDArray[np.object_], most: NDArray[np.float64]) -> NDArray[np.float64]:
    """By halving the interval in which the width must lie, for all polygons at once."""
    area = shapely.area(polygons)
    low, high = np.zeros(len(polygons)), most.astype(float)
    for _ in range(HALVINGS):
        half = (low + high) / 4
        with np.errstate(invalid="ignore"):  # shapes that vanish
            again = shapely.buffer(shapely.buffer(polygons, -half), half, join_style="mitre", mitre_limit=1.5)
        whole = shapely.area(shared_by(again, polygons)) > (1 - LOST) * area  # sharp slivers grow spikes
        low, high = np.where(whole, (low + high) / 2, low), np.where(whole, high, (low + high) / 2)
    return high


def roundness(area: NDArray[np.float64], perimeter: NDArray[np.float64]) -> NDArray[np.float64]:
    """4π area / perimeter²: 1 for a circle, 0.79 for a square."""
    return np.asarray(4 * np.pi * area / np.maximum(perimeter, 1e-12) ** 2)
