"""Do the layers belong together: the revisions they name, and whether they lie on one another."""

from __future__ import annotations

from collections import Counter

import numpy as np
import shapely
from numpy.typing import NDArray

from fusilex.core.design.model import Design, Layer
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

OFF_SHARE = 0.05
"""Share of a layer's shapes that may lie where they should not before the layer is taken for another board's."""
HOLES_OFF_SHARE = 0.25
"""The same for plated holes: many drill files name mounting holes plated that have no copper."""
POUR_MM2 = 100.0
"""Copper larger than this is a pour."""


def judge_layers(design: Design) -> list[Judgement]:
    """Stops for layers of another revision or place; nothing where all agree."""
    return [*_revisions(design), *_paste(design), *_holes(design), *_outline(design)]


def _revisions(design: Design) -> list[Judgement]:
    """Files that name another revision than most do."""
    named = {note.name: note.revision for note in design.files if note.revision}
    counts = Counter(named.values())
    if len(counts) < 2:
        return []
    usual = counts.most_common(1)[0][0]
    others = {note for note in design.files if note.revision not in ("", usual)}
    text = say("differ", others=tuple(sorted(f"{note.name} ({note.revision})" for note in others)), usual=usual)
    lists_only = all(note.role in ("bom", "placements") for note in others)  # lists are often counted on their own
    level = Level.CARE if lists_only else Level.STOP
    numbers = (Quantity("files", len(named)),)
    return [Judgement("ready.revision", level, "revisions", text, numbers, say("one revision"))]


def _paste(design: Design) -> list[Judgement]:
    found = []
    for side in ("top", "bottom"):
        paste, copper = design.layer("paste", side), design.layer("copper", side)
        if paste is None or not len(paste) or copper is None:
            continue
        at = shapely.get_coordinates(shapely.centroid(paste.polygons))
        off = ~_on(copper.tree, at)
        found += _off(f"{side} paste", "paste off copper", at, off, OFF_SHARE)
    return found


def _holes(design: Design) -> list[Judgement]:
    at = np.array([[h.x, h.y] for h in design.holes if h.plated]).reshape(-1, 2)
    layers = [x for x in design.layers if x.role == "copper" and len(x)]
    if not len(at) or not layers:
        return []
    shapes = np.concatenate([x.polygons for x in layers])
    pads = shapes[shapely.area(shapes) < POUR_MM2]  # holes that miss their pads still fall on pours
    for copper, case, level in ((shapes, "holes off copper", Level.STOP), (pads, "holes off pads", Level.CARE)):
        if found := _off("drill", case, at, ~_on(shapely.STRtree(copper), at), HOLES_OFF_SHARE, level):
            return found
    return []


def _outline(design: Design) -> list[Judgement]:
    """Flashed copper outside the board; strokes may be marks and frames."""
    found = []
    for side in ("top", "bottom"):
        copper = design.layer("copper", side)
        if copper is not None and copper.flashed.any():
            at = shapely.get_coordinates(shapely.centroid(copper.polygons[copper.flashed]))
            shapely.prepare(design.outline)
            off = ~shapely.intersects_xy(design.outline, at)
            found += _off(f"{side} copper", "pads off board", at, off, OFF_SHARE)
    return found


def shared(a: Layer, b: Layer) -> float:
    """Share of the smaller layer's shapes that the larger has too: middles within 30 µm, areas within 5 %."""
    small, large = sorted((a, b), key=len)
    if not len(small):
        return 0.0
    tree = shapely.STRtree(shapely.centroid(large.polygons))
    which, whom = tree.query(shapely.centroid(small.polygons), predicate="dwithin", distance=0.03)
    area, areas = shapely.area(small.polygons), shapely.area(large.polygons)
    same = np.abs(area[which] - areas[whom]) <= 0.05 * areas[whom]
    return len(np.unique(which[same])) / len(small)


def _on(shapes: shapely.STRtree, at: NDArray[np.float64]) -> NDArray[np.bool_]:
    on = np.zeros(len(at), dtype=bool)
    on[shapes.query(shapely.points(at), predicate="intersects")[0]] = True
    return on


def _off(
    what: str, case: str, at: NDArray[np.float64], off: NDArray[np.bool_], most: float, level: Level = Level.STOP
) -> list[Judgement]:
    count = int(np.count_nonzero(off))
    if count <= most * len(at):
        return []
    x, y = at[off][0]
    where = (Quantity("first at x", round(float(x), 2), "mm"), Quantity("y", round(float(y), 2), "mm"))
    text = say(case, what=what, off=count, of=len(at))
    return [Judgement("ready.layers", level, what, text, where, say("one revision"))]
