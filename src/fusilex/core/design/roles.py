"""What a layer is when neither its attributes nor its name say: read from its shapes.

Paste lies inside mask openings, mask openings over copper, an outline is a thin closed line round everything, silk is
strokes without flashes. A guess, always said to be one.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import shapely
from msgspec import Struct
from shapely import Polygon

from fusilex.core.design.model import Hole, Layer, Placement
from fusilex.core.design.which_side import in_the_middle

INSIDE = 0.9
SMALLEST_LEAD_HOLE = 0.6
"""Holes from this diameter (mm) on take a lead; smaller ones are vias."""


class RoleGuess(Struct, frozen=True):
    """`counted` where nothing but the number of pads tells the side: that is no telling."""

    role: str
    side: str | None
    because: str
    counted: bool = False


def guess_roles(
    unknown: Mapping[str, Layer],
    known: Mapping[tuple[str, str | None], Layer],
    holes: tuple[Hole, ...],
    placements: tuple[Placement, ...],
) -> dict[str, RoleGuess]:
    """Role and side of each unknown layer that its shapes give away, by file name. `known` are the layers already
    settled.
    """
    left = {name: layer for name, layer in unknown.items() if len(layer)}
    found: dict[str, RoleGuess] = {}
    if ("outline", None) not in known:
        extent = (
            shapely.total_bounds(np.concatenate([x.polygons for x in (*left.values(), *known.values())]))
            if left
            else None
        )
        lines = {n: s for n in left if (s := _encloses(left[n], extent)) > 0}
        if lines:
            name = max(lines, key=lambda n: lines[n])
            found[name] = RoleGuess(
                "outline", None, f"a thin closed line round {100 * lines[name]:.0f} % of all that is drawn"
            )
            del left[name]
    kinds = {name: _kind(layer, holes) for name, layer in left.items()}
    copper = {n: left[n] for n, kind in kinds.items() if kind == "copper"}
    windows = {n: left[n] for n, kind in kinds.items() if kind == "windows"}
    found |= _coppers(copper, known, windows, placements)
    coppers = {k[1]: v for k, v in known.items() if k[0] == "copper"} | {
        g.side: copper[n] for n, g in found.items() if g.role == "copper"
    }
    found |= _windows(windows, coppers, known, holes)
    found |= _silks({n: left[n] for n, kind in kinds.items() if kind == "silk"}, coppers, known)
    return found


def _encloses(layer: Layer, extent: np.ndarray | None) -> float:
    """Share of the extent that a layer's largest ring encloses, 0 when it is no outline."""
    if extent is None or np.count_nonzero(layer.flashed) > 2 or len(layer) > 4000:
        return 0.0
    pieces = shapely.get_parts(layer.area)
    rings = [Polygon(r) for piece in pieces if isinstance(piece, Polygon) for r in piece.interiors]
    inner = max(rings, key=lambda r: r.area, default=None)
    whole = (extent[2] - extent[0]) * (extent[3] - extent[1])
    if inner is None or whole <= 0 or layer.area.area > 0.15 * inner.area:
        return 0.0
    share = inner.area / whole
    return share if share > 0.55 else 0.0


def _kind(layer: Layer, holes: tuple[Hole, ...]) -> str:
    """``copper`` (pads and tracks), ``windows`` (pads alone: mask or paste), ``silk`` (strokes alone) or ``other``."""
    flashes = int(np.count_nonzero(layer.flashed))
    if flashes < max(3, 0.1 * len(layer)):  # a dot or two for pin 1
        return "silk" if len(layer) >= 4 else "other"
    boxes = shapely.bounds(layer.polygons)
    long = np.hypot(boxes[:, 2] - boxes[:, 0], boxes[:, 3] - boxes[:, 1])
    drawn = ~layer.flashed & (long > 2.0 * float(np.median(long[layer.flashed])))
    return "copper" if np.count_nonzero(drawn) > 0.15 * flashes else "windows"


def _coppers(
    copper: Mapping[str, Layer],
    known: Mapping[tuple[str, str | None], Layer],
    windows: Mapping[str, Layer],
    placements: tuple[Placement, ...],
) -> dict[str, RoleGuess]:
    """Which copper is the top: where the top placements find flashed pads, else the busier one."""
    free = [s for s in ("top", "bottom") if ("copper", s) not in known]
    names = sorted(copper, key=lambda n: -_score(copper[n], placements, "top" if "top" in free else "bottom"))
    why = "pads and tracks; " + (
        "its pads fit the placements of that side" if placements else "more pads than the other, so taken for the top"
    )
    counted = not placements and len(free) == 2
    return {n: RoleGuess("copper", side, why, counted) for n, side in zip(names, free, strict=False)}


def _score(layer: Layer, placements: tuple[Placement, ...], side: str) -> float:
    here = np.array([[p.x, p.y] for p in placements if p.side == side])
    return in_the_middle(here, layer) if len(here) else float(np.count_nonzero(layer.flashed))


def _windows(
    windows: Mapping[str, Layer],
    coppers: Mapping[str | None, Layer],
    known: Mapping[tuple[str, str | None], Layer],
    holes: tuple[Hole, ...],
) -> dict[str, RoleGuess]:
    """Mask and paste of each side: by the copper they lie over, the mask being the one that also opens over leads'
    holes.
    """
    found: dict[str, RoleGuess] = {}
    of_side: dict[str | None, list[str]] = {}
    for name, layer in windows.items():
        side = max(coppers, key=lambda s: covered(layer, coppers[s], exact=True), default=None)
        of_side.setdefault(side, []).append(name)
    leads = shapely.points([[h.x, h.y] for h in holes if h.diameter >= SMALLEST_LEAD_HOLE] or np.empty((0, 2)))
    for side, names in of_side.items():
        if side is None:
            continue
        free = [r for r in ("mask", "paste") if (r, side) not in known]
        names.sort(key=lambda n: -windows[n].area.area)
        if len(names) == 1 and len(free) == 2:
            opens = len(leads) and len(windows[names[0]].tree.query(leads, predicate="intersects")[0]) > 0
            why = "openings over leads' holes too" if opens else "openings over pads without holes"
            found[names[0]] = RoleGuess("mask" if opens else "paste", side, why)
            continue
        for name, role in zip(names, free, strict=False):
            other = (
                "the smaller of two sets of windows over the same pads"
                if role == "paste"
                else "the larger of two sets of windows over the same pads"
            )
            found[name] = RoleGuess(role, side, other if len(names) > 1 else f"windows over the {side} pads")
    return found


def covered(inner: Layer, outer: Layer, exact: bool = False) -> float:
    """Share of a layer's shapes whose middle lies on another layer's; `exact`: on a flashed one with the same
    middle.
    """
    middles = shapely.centroid(inner.polygons)
    if not exact:
        hits, _ = outer.tree.query(middles, predicate="intersects")
        return len(set(hits.tolist())) / max(1, len(inner))
    pads = outer.polygons[outer.flashed]
    if not len(pads):
        return 0.0
    hits, _ = shapely.STRtree(shapely.centroid(pads)).query(middles, predicate="dwithin", distance=0.05)
    return len(set(hits.tolist())) / max(1, len(inner))


def _silks(
    silks: Mapping[str, Layer], coppers: Mapping[str | None, Layer], known: Mapping[tuple[str, str | None], Layer]
) -> dict[str, RoleGuess]:
    """Silk keeps off the pads of its own side: each side takes the layer that crosses fewest of them."""
    found: dict[str, RoleGuess] = {}
    crossed = {
        (name, side): len(np.unique(pads.query(layer.polygons, predicate="intersects")[1]))
        for side, copper in coppers.items()
        if side and ("silk", side) not in known and copper.flashed.any()
        for pads in (shapely.STRtree(copper.polygons[copper.flashed]),)
        for name, layer in silks.items()
    }
    while crossed:
        name, side = min(crossed, key=lambda k: crossed[k])
        why = f"strokes without a pad among them, over {crossed[name, side]} pads of the {side}"
        found[name] = RoleGuess("silk", side, why)
        crossed = {k: v for k, v in crossed.items() if k[0] != name and k[1] != side}
    return found
