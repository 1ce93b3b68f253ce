"""Pads of a design: named by attributes, else by the netlist, else by the nearest placement."""

from __future__ import annotations

from collections import defaultdict

import numpy as np
import shapely
from msgspec.structs import replace
from numpy.typing import NDArray
from shapely.geometry import Point

from fusilex.core.design.model import BomLine, Design, Hole, Layer, Pad, Placement
from fusilex.core.design.roles import SMALLEST_LEAD_HOLE
from fusilex.core.design.whose_pads import whose
from fusilex.core.problems import BadInput

_NOT_PADS = ("ViaPad", "Conductor", "NonConductor", "CutOut", "Profile")


NEAR_MM = 0.05

MOST_IN_A_MM2 = 2_000


def drills_at(holes: tuple[Hole, ...], polygons: NDArray[np.object_]) -> NDArray[np.float64]:
    """Diameter (mm) of the largest hole in the middle of each polygon (n), 0 where there is none."""
    found = np.zeros(len(polygons))
    if len(polygons) and holes:
        tree = shapely.STRtree(shapely.points([[h.x, h.y] for h in holes]))
        which, hole = tree.query(shapely.centroid(polygons), predicate="dwithin", distance=NEAR_MM)
        np.maximum.at(found, which, np.array([h.diameter for h in holes])[hole])
    return found


def check_crowd(layer: Layer) -> None:
    """Raises `BadInput` for a layer with more on a spot than anybody solders: heaps are compared in pairs."""
    corners = shapely.bounds(layer.polygons)[:, :2]
    _, count = np.unique(np.floor(corners), axis=0, return_counts=True)
    if count.max(initial=0) > MOST_IN_A_MM2:
        found = f"{count.max():,}"
        expected = f"at most {MOST_IN_A_MM2:,} drawn objects within a square of 1 mm"
        raise BadInput(f"The {layer.side} {layer.role} layer", expected, found)


def find_pads(design: Design) -> tuple[Pad, ...]:
    """Copper pads with reference, pin and net: from X2 attributes, else the netlist, else the nearest placement."""
    found = _pads_by_attribute(design)
    if not found:
        named = any(point.ref for point in design.netpoints)
        found = _pads_by_netlist(design) if named else _pads_by_distance(design)
    return _with_barrels(design, found)


def _with_barrels(design: Design, pads: tuple[Pad, ...]) -> tuple[Pad, ...]:
    """A lead has no barrel where its hole is not plated, or there is one copper layer alone."""
    plated = tuple(h for h in design.holes if h.plated) if len(copper_layers(design)) > 1 else ()
    at = [n for n, pad in enumerate(pads) if pad.drill > 0]
    through = drills_at(plated, np.array([pads[n].polygon for n in at], dtype=object))
    bare = {n for n, drill in zip(at, through.tolist(), strict=True) if not drill}
    return tuple(replace(pad, barrel=False) if n in bare else pad for n, pad in enumerate(pads))


def copper_layers(design: Design) -> list[Layer]:
    return [layer for layer in design.layers if layer.role == "copper" and layer.side in ("top", "bottom")]


def _pads_by_attribute(design: Design) -> tuple[Pad, ...]:
    nets = {(p.ref, p.pin): p.net for p in design.netpoints if p.ref}
    found: dict[tuple[str, str, str], Pad] = {}
    for layer in copper_layers(design):
        side = layer.side or "top"
        drills = np.zeros(len(layer))
        drills[layer.flashed] = drills_at(design.holes, layer.polygons[layer.flashed])
        for polygon, flashed, pin, net, function, drill in zip(
            layer.polygons.tolist(),
            layer.flashed.tolist(),
            layer.pins,
            layer.nets,
            layer.functions,
            drills.tolist(),
            strict=True,
        ):
            if pin is None or not flashed or (function or "").startswith(_NOT_PADS):
                continue
            through = (function or "").startswith("ComponentPad")
            if through and (pin[0], pin[1], "top") in found:
                continue
            found[(pin[0], pin[1], side)] = Pad(
                pin[0],
                pin[1],
                side,
                polygon,
                net or nets.get(pin),
                drill if through or function is None else 0.0,
            )
    return tuple(found.values())


def _pads_by_netlist(design: Design) -> tuple[Pad, ...]:
    layers = {layer.side: layer for layer in copper_layers(design)}
    drills = {side: drills_at(design.holes, layer.polygons) for side, layer in layers.items()}
    found: dict[tuple[str, str, float, float], Pad] = {}
    for point in design.netpoints:
        if not point.ref:
            continue
        side = point.side or "top"
        layer = layers.get(side)
        hits = layer.tree.query(Point(point.x, point.y), predicate="intersects") if layer else []
        if layer is None or not len(hits):
            continue
        flashed = [h for h in hits if layer.flashed[h]]  # the land, not a via in it; else the smallest area
        areas = shapely.area(layer.polygons[flashed or hits])
        chosen = flashed[int(areas.argmax())] if flashed else hits[int(areas.argmin())]
        drill = float(drills[side][chosen]) if point.side is None else 0.0
        found[(point.ref, point.pin, round(point.x, 2), round(point.y, 2))] = Pad(
            point.ref, point.pin, side, layer.polygons[chosen], point.net, drill
        )
    return tuple(found.values())


def _pads_by_distance(design: Design) -> tuple[Pad, ...]:
    """Flashed copper under paste, or round a lead's hole, goes to the placement of its side whose middle it lies about,
    or whose body reaches it.

    Pins count from 1 in the order drawn.
    """
    lines = lines_by_ref(design)
    found: list[Pad] = []
    alone = len(copper_layers(design)) == 1  # leads come through from parts on the other face
    for layer in copper_layers(design):
        side = layer.side or "top"
        placed = [p for p in first_of_each(design.placements) if alone or p.side == side]
        chosen, drills = bare_pads(design, layer)
        if not placed or not len(chosen):
            continue
        at = np.array([[p.x, p.y] for p in placed])
        packages = [design.catalogue.package(package_text(p, lines.get(p.ref)), p.ref) for p in placed]
        reach = np.array([0.75 * max(b.size_x, b.size_y) + 1.0 for b in packages])
        middles = shapely.get_coordinates(shapely.centroid(layer.polygons[chosen]))
        counts: dict[str, int] = defaultdict(int)
        owner = whose(middles, at, reach, np.array([b.known for b in packages]))
        for k in np.flatnonzero(owner >= 0).tolist():
            ref, index = placed[owner[k]].ref, chosen[k]
            counts[ref] += 1
            found.append(
                Pad(
                    ref, str(counts[ref]), side, layer.polygons[index], layer.nets[index], float(drills[k]), named=False
                )
            )
    return tuple(found)


def lines_by_ref(design: Design) -> dict[str, BomLine]:
    """The line of the bill of materials that names a part, the first where several do."""
    return {ref: line for line in reversed(design.bom) for ref in line.refs}


def package_text(placement: Placement, line: BomLine | None) -> str:
    """What the lists call a part's body: the placement list first."""
    return placement.package or (line.package if line else "")


def bare_pads(design: Design, layer: Layer) -> tuple[NDArray[np.int_], NDArray[np.float64]]:
    """Flashed copper of a layer that takes a part: under paste, or round a lead's hole (on top, where there is copper).
    Indices and drills.
    """
    first = "top" if any(one.side == "top" for one in copper_layers(design)) else layer.side
    side = layer.side or "top"
    paste = design.layer("paste", side)
    flashed = np.flatnonzero(layer.flashed)
    shapes = layer.polygons[flashed]
    under_paste = np.zeros(len(flashed), dtype=bool)
    if paste is not None and len(paste):
        middles = shapely.centroid(shapes), shapely.centroid(paste.polygons)
        under_paste[paste.tree.query(middles[0], predicate="intersects")[0]] = True
        under_paste[shapely.STRtree(shapes).query(middles[1], predicate="intersects")[1]] = True
    drills = np.zeros(len(layer))
    drills[flashed] = drills_at(design.holes, shapes)
    leads = (drills >= SMALLEST_LEAD_HOLE) & layer.flashed & (layer.side == first)
    wanted = flashed[under_paste | leads[flashed]]
    inner, outer = shapely.STRtree(shapes).query(shapely.centroid(layer.polygons[wanted]), predicate="intersects")
    larger = shapely.area(shapes[outer]) > 1.05 * shapely.area(layer.polygons[wanted])[inner]
    in_pad = larger & (wanted[inner] != flashed[outer])  # vias in a thermal pad are no pads
    chosen = np.delete(wanted, np.unique(inner[in_pad]))
    return chosen, np.where(leads[chosen], drills[chosen], 0.0)


def first_of_each(placements: tuple[Placement, ...]) -> list[Placement]:
    seen: dict[str, Placement] = {}
    for placement in placements:
        seen.setdefault(placement.ref, placement)
    return list(seen.values())
