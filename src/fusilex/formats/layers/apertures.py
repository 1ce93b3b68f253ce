"""Aperture definitions as shapes about their own origin."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence

from shapely import Polygon
from shapely.geometry import box
from shapely.geometry.base import BaseGeometry

from fusilex.core.overlay import union_of, without
from fusilex.formats.layers.drawn import Aperture, disc
from fusilex.formats.layers.macros import BadMacro, macro_polygon, regular

_DEFINITION = re.compile(r"ADD0*([0-9]{1,9})([A-Za-z_.$][^,]*),?(.*)", re.S)
MOST_MM = 1e5
UNREAD = Aperture(Polygon())
"""Stands in for a definition that cannot be drawn, or that is missing."""


def defined_code(command: str) -> int | None:
    """The number of the aperture that a statement ``ADD10C,0.5`` defines, None for a statement that is none."""
    found = _DEFINITION.fullmatch(command)
    return int(found[1]) if found else None


def macro_named(command: str) -> str:
    """The name of the shape, or of the macro, in a definition."""
    found = _DEFINITION.fullmatch(command)
    return found[2].strip() if found else ""


def aperture_of(
    command: str, macros: Mapping[str, Sequence[str]], unit: float, function: str | None = None
) -> Aperture:
    """The aperture a definition makes. `unit` is mm per unit of the file. Raises `BadMacro` with a sentence."""
    found = _DEFINITION.fullmatch(command)
    if found is None:
        raise BadMacro(f"“{command[:32]}”")
    name, given = found[2].strip(), found[3].replace(" ", "")
    try:
        v = [float(word) for word in re.split(r"[Xx]", given)] if given else []
    except ValueError:
        raise BadMacro(f"“{given[:32]}” among its sizes") from None
    if not all(math.isfinite(size) and abs(size) * unit < MOST_MM for size in v):
        raise BadMacro("a size beyond all boards")
    if name in macros:
        return Aperture(macro_polygon(macros[name], v, unit), None, function)
    if name not in "CROP" or len(v) < {"C": 1, "R": 2, "O": 2, "P": 2}.get(name, 0):
        raise BadMacro(f"“{name[:16]}” with {len(v)} sizes")
    if min(v[:2] if name != "P" else v[:1]) < 0:
        raise BadMacro(f"a size of {min(v):g}")
    outline, holes = _standard(name, v, unit)
    if holes:
        outline = without(outline, _hole(holes, unit))
    return Aperture(outline, v[0] * unit if name == "C" else None, function)


def _standard(name: str, v: Sequence[float], unit: float) -> tuple[BaseGeometry, Sequence[float]]:
    """The solid shape, and the sizes of a hole in it where there are any."""
    a, b = v[0] * unit, (v[1] * unit if len(v) > 1 else 0.0)
    if name == "C":
        return disc(0, 0, a / 2), v[1:3]
    if name == "R":
        return (box(-a / 2, -b / 2, a / 2, b / 2) if a and b else Polygon()), v[2:4]
    if name == "P":
        return regular(round(v[1]), a, v[2] if len(v) > 2 else 0.0), v[3:5]
    radius = min(a, b) / 2
    reach = max(a, b) / 2 - radius
    ends = ((-reach, 0.0), (reach, 0.0)) if a > b else ((0.0, -reach), (0.0, reach))
    middle = box(-reach, -radius, reach, radius) if a > b else box(-radius, -reach, radius, reach)
    round_ends = [disc(x, y, radius) for x, y in ends]
    return (union_of([middle, *round_ends]) if reach else disc(0, 0, radius)), v[2:4]


def _hole(sizes: Sequence[float], unit: float) -> BaseGeometry:
    """Round by one size, rectangular by two."""
    if len(sizes) == 1:
        return disc(0, 0, sizes[0] * unit / 2)
    w, h = sizes[0] * unit / 2, sizes[1] * unit / 2
    return box(-w, -h, w, h)
