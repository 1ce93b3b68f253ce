"""Bare boards: the finest copper a file asks for, against what a process has shown."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import shapely
from msgspec import Struct

from fusilex.core.design.connectivity import copper_pieces
from fusilex.core.design.model import Design
from fusilex.core.evidence import Coverage, Level, exactly, weigh
from fusilex.core.judgement import Judgement
from fusilex.core.overlay import shared_by
from fusilex.core.quantities import Quantity, amount
from fusilex.core.wording import say

LOOK_MM = 0.5
"""Gaps wider than this are not looked for."""
CARE_SHARE = 0.8


class Finest(Struct, frozen=True):
    """Narrowest copper and narrowest gap between separate pieces (mm), each with where it is (x, y, side); of how many
    sides the copper was there to be measured.
    """

    width_mm: float
    width_at: tuple[float, float, str]
    gap_mm: float
    gap_at: tuple[float, float, str]
    sides: Coverage = Coverage("sides", 1, 1)

    @property
    def mm(self) -> float:
        return min(self.width_mm, self.gap_mm)


def finest_feature(design: Design) -> Finest | None:
    """The narrowest track (short side of its smallest enclosing rectangle) and gap of the outer layers. None without
    copper.
    """
    copper = copper_pieces(design)
    width: tuple[float, tuple[float, float, str]] = float("inf"), (0.0, 0.0, "top")
    gap: tuple[float, tuple[float, float, str]] = float("inf"), (0.0, 0.0, "top")
    for side, layer in copper.layers.items():
        if not len(layer):
            continue
        short = _short_sides(layer.polygons)
        at = int(short.argmin())
        if short[at] < width[0]:
            width = float(short[at]), (*_middle(layer.polygons[at]), side)
        a, b = layer.tree.query(layer.polygons, predicate="dwithin", distance=LOOK_MM)
        pieces = copper.pieces[side]
        apart = (a < b) & (pieces[a] != pieces[b])
        a, b = a[apart], b[apart]
        if len(a):
            shapely.prepare(layer.polygons[np.unique(np.concatenate([a, b]))])
            distance = shapely.distance(layer.polygons[a], layer.polygons[b])
            k = int(distance.argmin())
            if distance[k] < gap[0]:
                line = shapely.shortest_line(layer.polygons[a[k]], layer.polygons[b[k]])
                gap = float(distance[k]), (*_middle(line), side)
    if not np.isfinite(width[0]):
        return None
    return Finest(*width, *gap, Coverage("sides", len([x for x in copper.layers.values() if len(x)]), _sides(design)))


def _sides(design: Design) -> int:
    """How many sides of the board have copper: those that any file speaks of; both where holes are plated."""
    told = {x.side for x in design.layers if x.role in ("copper", "mask", "paste") and x.side and len(x)}
    told |= {p.side for p in design.parts if not p.through_hole}
    return 2 if any(h.plated for h in design.holes) else len(told & {"top", "bottom"})


def _short_sides(polygons: np.ndarray) -> np.ndarray:
    """Short side of the smallest rectangle round each polygon (mm). Necks inside a filled region are not looked for."""
    boxes = shapely.oriented_envelope(polygons)
    corners = shapely.get_coordinates(boxes).reshape(-1, 5, 2)
    sides = np.hypot(*np.diff(corners[:, :3], axis=1).transpose(2, 0, 1))
    return np.asarray(sides.min(axis=1))


def _middle(shape: shapely.Geometry) -> tuple[float, float]:
    centre = shape.centroid
    return round(float(centre.x), 3), round(float(centre.y), 3)


def copper_coverage(design: Design, side: str) -> float:
    """Share of the board that copper covers on a side, 0 to 1."""
    layer = design.layer("copper", side)
    if layer is None or not len(layer):
        return 0.0
    return float(shared_by(layer.area, design.outline).area / design.outline.area)


def judge_finest(finest: Finest | None, shown: Sequence[tuple[str, float]]) -> list[Judgement]:
    """The finest feature against each process's finest good result (name, mm): go at or above it, care down to 0.8 of
    it, else stop.
    """
    if finest is None:
        return []
    side, what = (finest.width_at[2], "track") if finest.width_mm <= finest.gap_mm else (finest.gap_at[2], "gap")
    x, y, _ = finest.width_at if what == "track" else finest.gap_at
    numbers = (
        Quantity("narrowest track", round(finest.width_mm, 3), "mm"),
        Quantity("narrowest gap", round(finest.gap_mm, 3), "mm"),
        Quantity("at x", x, "mm"),
        Quantity("y", y, "mm"),
        Quantity("on", side),
    )
    if not shown:
        text, do = say("not compared", finest=amount(finest.mm, "mm")), say("enter your process")
        missing = ("finest feature that your process makes",)
        return [Judgement("ready.finest", Level.UNKNOWN, "process", text, numbers, do, (), missing)]
    found = []
    able = [(name, limit) for name, limit in shown if finest.mm >= limit - 1e-6]
    for name, limit in able[:1] or shown:  # one process that manages is enough
        sides = (finest.sides,)
        least, hard = (limit - 1e-6, math.inf), (CARE_SHARE * limit, math.inf)
        level = weigh(exactly(finest.mm), least, sides, hard=hard)
        case = {Level.GO: "within", Level.CARE: "a little finer", Level.STOP: "much finer"}.get(level, "a side left")
        found.append(
            Judgement(
                "ready.finest",
                level,
                name,
                say(case, finest=amount(finest.mm, "mm"), process=name),
                (Quantity("process has shown", limit, "mm"), *numbers),
                {Level.GO: None, Level.UNKNOWN: say("add the side")}.get(level, say("have it made")),
                missing=("copper of the other side",) if level is Level.UNKNOWN else (),
                coverage=sides,
            )
        )
    return found
