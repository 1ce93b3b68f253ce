"""Joining the files of one design: copper pads to references and nets, then placements, bill of materials and
bodies.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Point

from fusilex.core.design.clusters import candidates, printed_boxes
from fusilex.core.design.model import BomLine, Design, Hole, Layer, Pad, Part, Placement, Remark
from fusilex.core.design.pad_evidence import body_on_pads
from fusilex.core.design.roles import SMALLEST_LEAD_HOLE
from fusilex.core.packages.catalogue import Package

_NOT_PADS = ("ViaPad", "Conductor", "NonConductor", "CutOut", "Profile")
NEAR_MM = 0.05


def join(design: Design) -> Design:
    """The design with `pads` and `parts` filled in, and with placements worked out from the pads when no list gives
    any.
    """
    pads = find_pads(design)
    if not design.placements:
        design, pads = _placed_from_pads(design, pads)
    design = _with_leads_from_bill(design, pads)
    by_ref: dict[str, list[Pad]] = defaultdict(list)
    for pad in pads:
        by_ref[pad.ref].append(pad)
    lines = lines_by_ref(design)
    parts = tuple(
        _part(design, placement, lines.get(placement.ref), tuple(by_ref.get(placement.ref, ())))
        for placement in _first_of_each(design.placements)
    )
    return replace(design, pads=pads, parts=parts)


def _with_leads_from_bill(design: Design, pads: tuple[Pad, ...]) -> Design:
    """Through-hole parts that the bill of materials alone names, in the middle of their holes: lists for a machine
    leave them out.

    Only where the placement list has no part with leads in holes at all.
    """
    leads: dict[str, list[Pad]] = defaultdict(list)
    for pad in pads:
        leads[pad.ref].append(pad)
    all_leads = {ref for ref, own in leads.items() if all(p.drill > 0 for p in own)}
    placed = {p.ref for p in design.placements}
    if placed & all_leads or not design.bom or not design.placements:
        return design
    added = []
    for ref in (ref for line in design.bom if line.populate for ref in line.refs if ref in all_leads - placed):
        x0, y0, x1, y1 = shapely.total_bounds([p.polygon for p in leads[ref]])
        added.append(Placement(ref, float(x0 + x1) / 2, float(y0 + y1) / 2, 0.0, "top", "", ""))
    if not added:
        return design
    shown = ", ".join(p.ref for p in added[:4]) + (" …" if len(added) > 4 else "")
    text = f"{shown}: through-hole, on the bill of materials alone, put in the middle of their holes"
    remark = Remark(
        "ready.derived", "through-hole parts", text, "Their side and turn are not known: go by silk and sheet."
    )
    remarks = design.remarks if any(r.subject == remark.subject for r in design.remarks) else (*design.remarks, remark)
    return replace(design, placements=(*design.placements, *added), remarks=remarks)


def lines_by_ref(design: Design) -> dict[str, BomLine]:
    """The line of the bill of materials that names a part, the first where several do."""
    return {ref: line for line in reversed(design.bom) for ref in line.refs}


def _body_text(placement: Placement, line: BomLine | None) -> str:
    """What the lists call a part's body: the placement list first."""
    return placement.package or (line.package if line else "")


def sides_of_pads(pads: Sequence[Pad]) -> dict[str, str]:
    """The side of each part by its own terminations: the one where most of its pins have a surface-mount pad.

    Lands under it on the other side, as for heat, are few. Parts with leads in holes alone, and those evenly split,
    are left out.
    """
    pins: dict[str, dict[str, set[str]]] = defaultdict(lambda: defaultdict(set))
    for pad in pads:
        if pad.drill == 0:
            pins[pad.ref][pad.side].add(pad.pin)
    found = {}
    for ref, by_side in pins.items():
        top, bottom = len(by_side["top"]), len(by_side["bottom"])
        if top != bottom:
            found[ref] = "top" if top > bottom else "bottom"
    return found


def _placed_from_pads(design: Design, pads: tuple[Pad, ...]) -> tuple[Design, tuple[Pad, ...]]:
    """Placements in the middle of each part's pads: by the names the copper carries, else one a candidate part."""
    if not pads:
        pads = _candidate_pads(design)
    boxes: dict[str, list[Pad]] = defaultdict(list)
    for pad in pads:
        boxes[pad.ref].append(pad)
    placements, sides = [], sides_of_pads(pads)
    for ref, group in boxes.items():
        low, high = (np.array([p.polygon.bounds for p in group]).reshape(-1, 2, 2)[:, k] for k in (0, 1))
        x, y = (low.min(axis=0) + high.max(axis=0)) / 2
        side = sides.get(ref, "top")
        placements.append(Placement(ref, float(x), float(y), 0.0, side, "", ""))
    named = not any(p.ref.startswith(UNNAMED) for p in placements)
    where = "named in the copper" if named else "guessed from pitch and symmetry of the pads"
    remark = Remark(
        "ready.derived",
        "placements",
        f"No placement list: {len(placements)} parts {where}",
        "Turns and values are not known: add the placement list when you have it.",
    )
    return (
        replace(design, placements=tuple(placements), remarks=(*design.remarks, remark), guessed_parts=not named),
        pads,
    )


def _candidate_pads(design: Design) -> tuple[Pad, ...]:
    """Pads of candidate parts, named ``?1``, ``?2`` … from the upper left."""
    found: list[Pad] = []
    for layer in _copper(design):
        side = layer.side or "top"
        chosen, drills = _bare_pads(design, layer)
        silk = design.layer("silk", side)
        printed = printed_boxes(silk.polygons) if silk is not None and len(silk) else None
        found_here = candidates(layer.polygons[chosen], drills, printed)
        groups = sorted(found_here, key=lambda c: (-round(c.y), c.x))
        for group in groups:
            ref = f"{UNNAMED}{len({p.ref for p in found}) + 1}"
            found += [
                Pad(ref, str(n), side, layer.polygons[chosen[i]], layer.nets[chosen[i]], float(drills[i]), named=False)
                for n, i in enumerate(group.pads, 1)
            ]
    return tuple(found)


UNNAMED = "?"
"""First letter of parts that nobody named."""


def candidate_middles(design: Design, side: str) -> NDArray[np.float64]:
    """Middles (n × 2, mm) of the candidate parts of a side, for designs whose copper names no parts."""
    layer = design.layer("copper", side)
    if layer is None:
        return np.empty((0, 2))
    chosen, drills = _bare_pads(design, layer)
    return np.array([[c.x, c.y] for c in candidates(layer.polygons[chosen], drills)]).reshape(-1, 2)


def _bare_pads(design: Design, layer: Layer) -> tuple[NDArray[np.int_], NDArray[np.float64]]:
    """Flashed copper of a layer that takes a part: under paste, or round a lead's hole (top only). Indices and
    drills.
    """
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
    leads = (drills >= SMALLEST_LEAD_HOLE) & layer.flashed & (side == "top")
    wanted = flashed[under_paste | leads[flashed]]
    inner, outer = shapely.STRtree(shapes).query(shapely.centroid(layer.polygons[wanted]), predicate="intersects")
    larger = shapely.area(shapes[outer]) > 1.05 * shapely.area(layer.polygons[wanted])[inner]
    in_pad = larger & (wanted[inner] != flashed[outer])  # vias in a thermal pad are no pads
    chosen = np.delete(wanted, np.unique(inner[in_pad]))
    return chosen, np.where(leads[chosen], drills[chosen], 0.0)


def drills_at(holes: tuple[Hole, ...], polygons: NDArray[np.object_]) -> NDArray[np.float64]:
    """Diameter (mm) of the largest hole in the middle of each polygon (n), 0 where there is none."""
    found = np.zeros(len(polygons))
    if len(polygons) and holes:
        tree = shapely.STRtree(shapely.points([[h.x, h.y] for h in holes]))
        which, hole = tree.query(shapely.centroid(polygons), predicate="dwithin", distance=NEAR_MM)
        np.maximum.at(found, which, np.array([h.diameter for h in holes])[hole])
    return found


def _first_of_each(placements: tuple[Placement, ...]) -> list[Placement]:
    seen: dict[str, Placement] = {}
    for placement in placements:
        seen.setdefault(placement.ref, placement)
    return list(seen.values())


def _part(design: Design, placement: Placement, line: BomLine | None, pads: tuple[Pad, ...]) -> Part:
    package = design.catalogue.package(_body_text(placement, line), placement.ref)
    if not package.known and pads:
        package = body_on_pads(package, pads, placement)
        package = design.catalogue.own.get(package.code, package)  # measured here, under the name its pads give it
    if any(p.drill > 0 for p in pads) and package.mount == "smd":
        package = replace(package, mount="tht")
    package = _along_pads(package, placement, pads)
    return Part(
        placement.ref,
        placement.x,
        placement.y,
        placement.rotation_deg,
        placement.side,
        (line.value if line and line.value else placement.value),
        package,
        line.part_number if line else "",
        placement.populate and (line.populate if line else True),
        pads,
    )


def _along_pads(package: Package, placement: Placement, pads: tuple[Pad, ...]) -> Package:
    """Two-pad bodies lie along their pads, whichever way the footprint was drawn."""
    if len(pads) != 2 or abs(package.size_x - package.size_y) < 1e-6:
        return package
    (ax, ay), (bx, by) = shapely.get_coordinates(shapely.centroid([p.polygon for p in pads])).tolist()
    angle = math.degrees(math.atan2(by - ay, bx - ax))
    turned = (angle - placement.rotation_deg if placement.side == "top" else 180 - angle - placement.rotation_deg) % 180
    across = 45 < turned < 135
    long, wide = max(package.size_x, package.size_y), min(package.size_x, package.size_y)
    return replace(package, size_x=wide if across else long, size_y=long if across else wide)


def find_pads(design: Design) -> tuple[Pad, ...]:
    """Copper pads with reference, pin and net: from X2 attributes, else the netlist, else the nearest placement."""
    by_attribute = _pads_by_attribute(design)
    if by_attribute:
        return by_attribute
    if any(point.ref for point in design.netpoints):
        return _pads_by_netlist(design)
    return _pads_by_distance(design)


def _copper(design: Design) -> list[Layer]:
    return [layer for layer in design.layers if layer.role == "copper" and layer.side in ("top", "bottom")]


def _pads_by_attribute(design: Design) -> tuple[Pad, ...]:
    nets = {(p.ref, p.pin): p.net for p in design.netpoints if p.ref}
    found: dict[tuple[str, str, str], Pad] = {}
    for layer in _copper(design):
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
    layers = {layer.side: layer for layer in _copper(design)}
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
    """Flashed copper under paste, or round a lead's hole, goes to the nearest placement of its side whose body
    reaches it.

    Pins count from 1 in the order drawn.
    """
    lines = lines_by_ref(design)
    found: list[Pad] = []
    for layer in _copper(design):
        side = layer.side or "top"
        placed = [p for p in _first_of_each(design.placements) if p.side == side]
        chosen, drills = _bare_pads(design, layer)
        if not placed or not len(chosen):
            continue
        at = np.array([[p.x, p.y] for p in placed])
        packages = [design.catalogue.package(_body_text(p, lines.get(p.ref)), p.ref) for p in placed]
        reach = np.array([0.75 * max(b.size_x, b.size_y) + 1.0 for b in packages])
        middles = shapely.get_coordinates(shapely.centroid(layer.polygons[chosen]))
        distance = np.hypot(*(middles[:, None, :] - at[None, :, :]).transpose(2, 0, 1)) / reach
        counts: dict[str, int] = defaultdict(int)
        best = distance.argmin(axis=1)
        reached = distance[np.arange(len(chosen)), best] <= 1.0
        for k in np.flatnonzero(reached).tolist():
            ref, index = placed[best[k]].ref, chosen[k]
            counts[ref] += 1
            found.append(
                Pad(
                    ref, str(counts[ref]), side, layer.polygons[index], layer.nets[index], float(drills[k]), named=False
                )
            )
    return tuple(found)
