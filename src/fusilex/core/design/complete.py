"""What a set of layers lacks, worked out and said: the board's edge, paste for a side without, edges drawn into paste
and mask.
"""

from __future__ import annotations

import numpy as np
import shapely
from shapely import Polygon

from fusilex.core.design.derive import hull_outline, paste_from_mask
from fusilex.core.design.edge import board_edge, without_frames
from fusilex.core.design.model import Hole, Layer, Placement, Remark
from fusilex.core.problems import BadInput
from fusilex.core.quantities import Quantity, amount
from fusilex.core.wording import say


def frames_left_out(layers: list[Layer], outline: Polygon, remarks: list[Remark]) -> list[Layer]:
    """Paste and mask without the board's edge and what lies beyond it; said where paste loses something."""
    found = []
    coppers = {x.side: x for x in layers if x.role == "copper"}
    for layer in layers:
        if layer.role in ("paste", "mask"):
            layer, left_out = without_frames(layer, outline, coppers.get(layer.side))
            if left_out and layer.role == "paste":
                text = say("left out", side=layer.side, shapes=left_out)
                remarks.append(Remark("ready.frames", f"paste {layer.side}", text, say("tell the stencil maker")))
        found.append(layer)
    return found


def paste_where_missing(
    layers: list[Layer], holes: tuple[Hole, ...], placements: tuple[Placement, ...], remarks: list[Remark]
) -> list[Layer]:
    """Paste derived from the mask for sides that have parts and no paste layer (or for both when there is none at
    all).
    """
    by_role = {(x.role, x.side): x for x in layers if len(x)}
    none_at_all = not any(role == "paste" for role, _ in by_role)
    found = []
    for side in ("top", "bottom"):
        wanted = none_at_all or any(p.side == side for p in placements)
        if ("paste", side) in by_role or not wanted or ("mask", side) not in by_role:
            continue
        made = paste_from_mask(by_role["mask", side], holes, by_role.get(("copper", side)))
        if len(made.layer):
            found.append(made.layer)
            text = say("no paste layer", side=side, how=made.says)
            remarks.append(Remark("ready.derived", f"paste {side}", text, say("order from own layer")))
    return found


def outline_of(layers: list[Layer], name: str, remarks: list[Remark]) -> Polygon:
    """The board's edge as drawn, else the box round the copper, and said to be."""
    drawn = next((x for x in layers if x.role == "outline" and len(x)), None)
    why = say("no outline layer")
    if drawn is not None:
        flashed = [x.polygons[x.flashed] for x in layers if x.role == "copper"]
        try:
            edge, aside = board_edge(drawn, name, shapely.centroid(np.concatenate(flashed)))
        except BadInput as problem:
            why = say("outline unusable", found=problem.found)
        else:
            if aside:
                text = say("more than the edge", **_size(edge))
                remarks.append(Remark("ready.derived", "outline", text, say("check the edge")))
            return edge
    hull = hull_outline(layers)
    assert hull is not None, "copper was demanded before"
    text = say("size from copper", why=why, **_size(hull))
    remarks.append(Remark("ready.derived", "outline", text, say("measure a board")))
    return hull


def _size(area: Polygon) -> dict[str, Quantity]:
    x0, y0, x1, y1 = area.bounds
    return {"width": amount(x1 - x0, "mm"), "height": amount(y1 - y0, "mm")}
