"""Gerber layers (X1 and X2): what a file draws, composed of dark and clear objects in drawing order."""

from __future__ import annotations

import numpy as np
import shapely
from msgspec.structs import replace
from numpy.typing import NDArray
from shapely import GeometryType

from fusilex.core.design.model import Layer, Placement
from fusilex.core.overlay import union_of, without
from fusilex.core.problems import BadInput
from fusilex.core.progress import wanted_still
from fusilex.formats.layers.drawn import FLASH, Drawn
from fusilex.formats.layers.shapes import Shapes, TooMany, written_out
from fusilex.formats.layers.stream import read_drawn

FEW_RUNS = 6
"""Runs of clear areas that are cut from a shape one after the other; more are joined first."""
MOST_CUTS = 300_000
"""Clear areas on dark ones drawn before, pair by pair: more would take minutes."""
SLIVER_MM2 = 1e-9
"""What is left of a shape by rounding where another was cleared from it."""


def read_gerber(data: bytes, name: str, role: str = "other", side: str | None = None) -> Layer:
    """Read one Gerber file. Raises `BadInput` when it is truncated, malformed or beyond all size."""
    drawn = read_drawn(data, name)
    try:
        return _layer(drawn, role, side)
    except TooMany as problem:
        raise BadInput(name, "a layer that can be read in any time", str(problem)) from problem
    except (ValueError, ArithmeticError, shapely.errors.ShapelyError) as error:
        raise BadInput(name, "shapes that can be drawn", "some that enclose nothing that can be summed") from error


def read_components(data: bytes, name: str, side: str | None) -> tuple[Placement, ...]:
    """Placements of a component layer (Gerber X2: one flash with a ``.C`` attribute a part). Raises `BadInput`."""
    drawn = read_drawn(data, name)
    found: dict[str, Placement] = {}
    for kind, index, (x, y) in zip(drawn.kinds, drawn.attribute, drawn.ends[:, 1].tolist(), strict=True):
        attributes = drawn.attributes[index]
        ref = attributes.get(".C", ("",))[0]
        if kind != FLASH or not ref or ref in found:
            continue
        try:
            turn = float(attributes.get(".CRot", ("0",))[0]) % 360
        except ValueError as error:
            raise BadInput(name, "a turn in degrees", f"“{attributes['.CRot'][0][:24]}”", f"part {ref}") from error
        package = attributes.get(".CPgN", attributes.get(".CFtp", ("",)))[0]
        fit = attributes.get(".CMnt", ("",))[0] != "Fiducial"
        value = attributes.get(".CVal", ("",))[0]
        found[ref] = Placement(ref, x, y, turn, side or "top", package, value, 0, fit, ".CRot" in attributes)
    return tuple(found.values())


def _layer(drawn: Drawn, role: str, side: str | None) -> Layer:
    made, crossed = written_out(drawn)
    layer = _compose(drawn, made, role, side)
    return replace(layer, unread=(*drawn.unread, *crossed))


def _compose(drawn: Drawn, made: Shapes, role: str, side: str | None) -> Layer:
    """Apply clear objects to the dark ones drawn before them; keep the pieces apart, with their attributes."""
    shapes, dark, cut = made.shape.copy(), made.dark, np.zeros(len(made.shape), dtype=bool)
    drawn_over, by = _cleared(shapes, dark)
    if len(drawn_over):
        objects, first, count = np.unique(drawn_over, return_index=True, return_counts=True)
        once = count == 1
        shapes[objects[once]] = without(shapes[objects[once]], shapes[by[first[once]]])
        run = np.cumsum(np.diff(dark, prepend=True))
        for i, start, n in zip(objects[~once], first[~once], count[~once], strict=True):
            mine = by[start : start + n]
            runs = np.split(mine, np.flatnonzero(np.diff(run[mine])) + 1)
            for together in runs if len(runs) <= FEW_RUNS else [mine]:
                clear = union_of(shapes[together])  # of a run, most stand apart
                if shapely.intersects(shapes[i], clear):  # seldom yet, where areas lie in cleared areas
                    shapes[i] = without(shapes[i], clear)
        cut[objects] = True
    kept = np.flatnonzero(dark)
    pieces, owners = shapes[kept], kept
    while (shapely.get_type_id(pieces) > GeometryType.POLYGON).any():  # collections may lie in collections
        pieces, which = shapely.get_parts(pieces, return_index=True)
        owners = owners[which]
    areas = (shapely.get_type_id(pieces) == GeometryType.POLYGON) & (
        shapely.area(pieces) > np.where(cut[owners], SLIVER_MM2, 0.0)
    )
    pieces, owners = pieces[areas], owners[areas]
    nets = [(a[".N"][0] or None) if a.get(".N") else None for a in drawn.attributes]
    pins = [(a[".P"][0], a[".P"][1]) if len(a.get(".P", ())) >= 2 else None for a in drawn.attributes]
    functions = [*(tool.function for tool in drawn.apertures), None]  # the last for regions
    stated = made.attribute[owners].tolist()
    return Layer(
        role,
        side,
        pieces,
        made.flashed[owners],
        tuple([nets[i] for i in stated]),
        tuple([pins[i] for i in stated]),
        tuple([functions[i] for i in made.function[owners].tolist()]),
    )


def _cleared(shapes: NDArray[np.object_], dark: NDArray[np.bool_]) -> tuple[NDArray[np.int_], NDArray[np.int_]]:
    """Pairs of a dark object and a clear one drawn after it that meets it, in their order.

    However often it is cut, a shape only gets smaller, so that the order of the clear ones does not matter. Raises
    `TooMany`.
    """
    clear, darks = np.flatnonzero(~dark), np.flatnonzero(dark)
    found: list[NDArray[np.int_]] = [np.zeros((2, 0), dtype=int)]
    tree, at, count, pairs = shapely.STRtree(shapes[clear]), 0, 64, 0
    while at < len(darks) and len(clear):
        wanted_still()
        asked = darks[at : at + count]
        of, which = tree.query(shapes[asked])
        met = np.stack([asked[of], clear[which]])
        later = met[:, met[1] > met[0]]
        shapely.prepare(shapes[np.unique(later[0])])
        found.append(later[:, shapely.intersects(shapes[later[0]], shapes[later[1]])])
        pairs += found[-1].shape[1]
        if pairs > MOST_CUTS or met.shape[1] > 10 * MOST_CUTS:
            raise TooMany(f"more than {MOST_CUTS:,} cuts of clear areas into what was drawn before")
        at, count = at + count, min(2 * count, 8192) if met.shape[1] < 20 * count else 64
    drawn_over, by = np.concatenate(found, axis=1)
    order = np.lexsort((by, drawn_over))
    return drawn_over[order], by[order]
