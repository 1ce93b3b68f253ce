"""Joining the files of one design: copper pads to references and nets, then placements, bill of materials and
bodies.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Sequence

import numpy as np
import shapely
from msgspec.structs import replace
from numpy.typing import NDArray

from fusilex.core.design.clusters import candidates, printed_boxes
from fusilex.core.design.model import BomLine, Design, Pad, Part, Placement, Remark
from fusilex.core.design.pad_evidence import body_on_pads
from fusilex.core.design.pads import bare_pads, copper_layers, find_pads, first_of_each, lines_by_ref, package_text
from fusilex.core.packages.catalogue import Package, has_a_plus
from fusilex.core.wording import say


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
        for placement in first_of_each(design.placements)
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
        added.append(Placement(ref, float(x0 + x1) / 2, float(y0 + y1) / 2, 0.0, "top", "", "", turn_given=False))
    if not added:
        return design
    text = say("put on holes", parts=tuple(p.ref for p in added))
    remark = Remark("ready.derived", "through-hole parts", text, say("side and rotation unknown"))
    remarks = design.remarks if any(r.subject == remark.subject for r in design.remarks) else (*design.remarks, remark)
    return replace(design, placements=(*design.placements, *added), remarks=remarks)


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
        placements.append(Placement(ref, float(x), float(y), 0.0, side, "", "", turn_given=False))
    named = not any(p.ref.startswith(UNNAMED) for p in placements)
    text = say("placed from names" if named else "placed from pads", parts=len(placements))
    remark = Remark("ready.derived", "placements", text, say("add the placement list"))
    return (
        replace(design, placements=tuple(placements), remarks=(*design.remarks, remark), guessed_parts=not named),
        pads,
    )


def _candidate_pads(design: Design) -> tuple[Pad, ...]:
    """Pads of candidate parts, named ``?1``, ``?2`` … from the upper left."""
    found: list[Pad] = []
    for layer in copper_layers(design):
        side = layer.side or "top"
        chosen, drills = bare_pads(design, layer)
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
    chosen, drills = bare_pads(design, layer)
    return np.array([[c.x, c.y] for c in candidates(layer.polygons[chosen], drills)]).reshape(-1, 2)


def _part(design: Design, placement: Placement, line: BomLine | None, pads: tuple[Pad, ...]) -> Part:
    package = design.catalogue.package(package_text(placement, line), placement.ref)
    if not package.known and pads:
        package = body_on_pads(package, pads, placement)
        package = design.catalogue.own.get(package.code, package)  # measured here, under the name its pads give it
    if any(p.drill > 0 for p in pads) and package.mount == "smd":
        package = replace(package, mount="tht")
    package = _along_pads(package, placement, pads)
    value = line.value if line and line.value else placement.value
    if package.family == "capacitor" and has_a_plus(value):
        package = replace(package, polarised=True)
    return Part(
        placement.ref,
        placement.x,
        placement.y,
        placement.rotation_deg,
        placement.side,
        value,
        package,
        line.part_number if line else "",
        placement.populate and (line.populate if line else True),
        pads,
        placement.turn_given,
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
