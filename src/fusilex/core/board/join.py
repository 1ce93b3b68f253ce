"""Joining the files of one design: copper pads to references and nets, then placements, bill of materials and bodies."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import replace

import numpy as np
import shapely
from shapely.geometry import Point

from fusilex.core.board.bodies import Body, body_of
from fusilex.core.board.model import Design, Layer, Pad, Part, Placement

_NOT_PADS = ("ViaPad", "Conductor", "NonConductor", "CutOut", "Profile")
NEAR_MM = 0.05
SMALLEST_LEAD_HOLE = 0.6


def join(design: Design) -> Design:
    """The design with `pads` and `parts` filled in."""
    pads = find_pads(design)
    by_ref: dict[str, list[Pad]] = defaultdict(list)
    for pad in pads:
        by_ref[pad.ref].append(pad)
    parts = tuple(
        _part(design, placement, tuple(by_ref.get(placement.ref, ())))
        for placement in _first_of_each(design.placements)
    )
    return replace(design, pads=pads, parts=parts)


def _first_of_each(placements: tuple[Placement, ...]) -> list[Placement]:
    seen: dict[str, Placement] = {}
    for placement in placements:
        seen.setdefault(placement.ref, placement)
    return list(seen.values())


def _part(design: Design, placement: Placement, pads: tuple[Pad, ...]) -> Part:
    line = next((b for b in design.bom if placement.ref in b.refs), None)
    text = placement.body or (line.body if line else "")
    body = body_of(text, placement.ref)
    if any(p.drill > 0 for p in pads) and body.mount == "smd":
        body = replace(body, mount="tht")
    body = _along_pads(body, placement, pads)
    return Part(
        placement.ref,
        placement.x,
        placement.y,
        placement.turn,
        placement.side,
        (line.value if line and line.value else placement.value),
        body,
        line.part_number if line else "",
        line.fit if line else True,
        pads,
    )


def _along_pads(body: Body, placement: Placement, pads: tuple[Pad, ...]) -> Body:
    """Two-pad bodies lie along their pads, whichever way the footprint was drawn."""
    if len(pads) != 2 or abs(body.size_x - body.size_y) < 1e-6:
        return body
    a, b = (np.array(p.polygon.centroid.coords[0]) for p in pads)
    angle = np.degrees(np.arctan2(*(b - a)[::-1]))
    turned = (angle - placement.turn if placement.side == "top" else 180 - angle - placement.turn) % 180
    across = 45 < turned < 135
    long, wide = max(body.size_x, body.size_y), min(body.size_x, body.size_y)
    return replace(body, size_x=wide if across else long, size_y=long if across else wide)


def find_pads(design: Design) -> tuple[Pad, ...]:
    """Copper pads with reference, pin and net: from X2 attributes, else the netlist, else the nearest placement."""
    by_attribute = _pads_by_attribute(design)
    if by_attribute:
        return by_attribute
    if any(point.ref for point in design.netpoints):
        return _pads_by_netlist(design)
    return _pads_by_distance(design)


def _drill_at(design: Design, polygon: shapely.Polygon) -> float:
    centre = polygon.centroid
    return max(
        (h.diameter for h in design.holes if abs(h.x - centre.x) < NEAR_MM and abs(h.y - centre.y) < NEAR_MM),
        default=0.0,
    )


def _area(polygon: shapely.Polygon) -> float:
    return float(polygon.area)


def _copper(design: Design) -> list[Layer]:
    return [layer for layer in design.layers if layer.role == "copper" and layer.side in ("top", "bottom")]


def _pads_by_attribute(design: Design) -> tuple[Pad, ...]:
    nets = {(p.ref, p.pin): p.net for p in design.netpoints if p.ref}
    found: dict[tuple[str, str, str], Pad] = {}
    for layer in _copper(design):
        for polygon, flashed, pin, net, function in zip(
            layer.polygons, layer.flashed, layer.pins, layer.nets, layer.functions, strict=True
        ):
            if pin is None or not flashed or (function or "").startswith(_NOT_PADS):
                continue
            through = (function or "").startswith("ComponentPad")
            side = layer.side or "top"
            if through and (pin[0], pin[1], "top") in found:
                continue
            drill = _drill_at(design, polygon) if through or function is None else 0.0
            found[(pin[0], pin[1], side)] = Pad(pin[0], pin[1], side, polygon, net or nets.get(pin), drill)
    return tuple(found.values())


def _pads_by_netlist(design: Design) -> tuple[Pad, ...]:
    layers = {layer.side: layer for layer in _copper(design)}
    found: dict[tuple[str, str, float, float], Pad] = {}
    for point in design.netpoints:
        if not point.ref:
            continue
        side = point.side or "top"
        layer = layers.get(side)
        hits = layer.tree.query(Point(point.x, point.y), predicate="intersects") if layer else []
        if layer is None or not len(hits):
            continue
        flashed = [
            layer.polygons[h] for h in hits if layer.flashed[h]
        ]  # the land, not a via in it; else the smallest area
        polygon = max(flashed, key=_area) if flashed else min((layer.polygons[h] for h in hits), key=_area)
        drill = _drill_at(design, polygon) if point.side is None else 0.0
        found[(point.ref, point.pin, round(point.x, 2), round(point.y, 2))] = Pad(
            point.ref, point.pin, side, polygon, point.net, drill
        )
    return tuple(found.values())


def _pads_by_distance(design: Design) -> tuple[Pad, ...]:
    """Flashed copper under paste, or round a lead's hole, goes to the nearest placement of its side whose body reaches it.

    Pins count from 1 in the order drawn.
    """
    found: list[Pad] = []
    for layer in _copper(design):
        side = layer.side or "top"
        paste = design.layer("paste", side)
        placed = [p for p in _first_of_each(design.placements) if p.side == side]
        if paste is None or not placed or not len(paste):
            continue
        under_paste = np.zeros(len(layer), dtype=bool)
        under_paste[paste.tree.query(layer.polygons, predicate="intersects")[0]] = True
        drilled = {int(i): _drill_at(design, layer.polygons[i]) for i in np.flatnonzero(layer.flashed)}
        leads = [i for i, d in drilled.items() if d >= SMALLEST_LEAD_HOLE and side == "top"]
        wanted = np.array(sorted({*np.flatnonzero(layer.flashed & under_paste).tolist(), *leads}), dtype=int)
        inner, outer = layer.tree.query(layer.polygons[wanted], predicate="within")
        in_pad = layer.flashed[outer] & (wanted[inner] != outer)  # vias in a thermal pad are no pads
        candidates = np.delete(wanted, np.unique(inner[in_pad])).tolist()
        at = np.array([[p.x, p.y] for p in placed])
        reach = np.array(
            [0.75 * max(body_of(p.body, p.ref).size_x, body_of(p.body, p.ref).size_y) + 1.0 for p in placed]
        )
        counts: dict[str, int] = defaultdict(int)
        for index in candidates:
            polygon = layer.polygons[index]
            distance = np.hypot(*(at - polygon.centroid.coords[0]).T) / reach
            best = int(np.argmin(distance))
            if distance[best] <= 1.0:
                ref = placed[best].ref
                counts[ref] += 1
                drill = drilled[index] if index in leads else 0.0
                found.append(Pad(ref, str(counts[ref]), side, polygon, layer.nets[index], drill))
    return tuple(found)
