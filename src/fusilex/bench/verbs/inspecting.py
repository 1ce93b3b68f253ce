"""The verbs of inspection: the microscope's way over a board, and what differs on a picture of one."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import numpy as np

from fusilex.bench.intake.design import read_design
from fusilex.bench.verbs.answer import Answer
from fusilex.core.design.hidden_joints import hidden_parts
from fusilex.core.evidence import Coverage, Level, seen
from fusilex.core.inspection.tour import joints_seen, tour
from fusilex.core.judgement import Judgement
from fusilex.core.photo.register import NotFound
from fusilex.core.photo.suggest import judge_photo, straightened, suggest
from fusilex.core.problems import BadInput
from fusilex.core.quantities import Quantity, write_point
from fusilex.core.wording import say
from fusilex.formats.bundle import read_one
from fusilex.formats.pictures import read_picture

LARGEST_MM = 1000.0


def lay_tour(folder: str, field: str, overlap: float = 0.1, side: str = "top") -> Answer:
    """The fewest fields that show every joint of a side whole, and a short way over them. Raises `BadInput`."""
    size = _size(field)
    if not 0 <= overlap < 0.9:
        raise BadInput("--overlap", "a share from 0 to below 0.9", f"{overlap:g}")
    design = read_design(folder)
    names, boxes = joints_seen(design, side)
    found = tour(names, boxes, size, overlap)
    stops = [{"x_mm": round(s.x, 3), "y_mm": round(s.y, 3), "joints": list(s.joints)} for s in found.stops]
    data: dict[str, Any] = {"stops": stops, "path_mm": found.path_mm, "bound_stops": found.bound_stops}
    headline = say("covers", fields=len(found.stops), joints=len(names), side=side)
    hidden = [p.ref for p in hidden_parts(design) if p.side == side]
    large = int(((boxes[:, 2:] - boxes[:, :2]) > np.array(size) * (1 - overlap)).any(axis=1).sum())
    if not names:
        headline = say("no open joint", side=side)
    numbers: tuple[Quantity, ...] = (
        Quantity("no tour has fewer than", found.bound_stops),
        Quantity("way", found.path_mm, "mm"),
    )
    numbers += (Quantity("larger than the field, seen by the middle", large),) if large else ()
    numbers += (Quantity("under their bodies, not to be seen", ", ".join(hidden[:6])),) if hidden else ()
    joints = (Coverage("joints", len({n for s in found.stops for n in s.joints}), len(names)),)
    level = Level.CARE if names and (large or hidden) else seen(*joints)
    missing = () if names else ("open joints",)
    judged = Judgement("inspect.tour", level, design.name, headline, numbers, missing=missing, coverage=joints)
    rows = (f"{n:3d}  {write_point(s.x, s.y):>18}  {len(s.joints)} joints" for n, s in enumerate(found.stops, 1))
    return Answer([judged], data, "\n".join([judged.headline, *rows]))


def _size(field: str) -> tuple[float, float]:
    """Width and height (mm) as typed, ``20,15``. Raises `BadInput`."""
    try:
        wide, high = (float(v) for v in field.replace("x", ",").split(","))
    except ValueError:
        wide = high = math.nan
    if not (0 < wide <= LARGEST_MM and 0 < high <= LARGEST_MM):
        raise BadInput("--field", f"width and height up to {LARGEST_MM:g} mm, such as 20,15", field)
    return wide, high


def compare_photo(good: str, photo: str, folder: str, side: str = "top") -> Answer:
    """What differs on a picture of a board from one of a good board. Raises `BadInput`."""
    design = read_design(folder)
    parts = [p for p in design.parts if p.populated]
    pictures = [(Path(name).name, read_picture(read_one(Path(name)), Path(name).name)) for name in (good, photo)]
    wanted = f"a picture of the {side} of {design.name}"
    at = 0
    try:
        flat = straightened(pictures[0][1], design, side, parts)
        at = 1
        found = suggest(design, side, parts, pictures[1][1], [flat])
    except NotFound as problem:
        raise BadInput(pictures[at][0], wanted, str(problem)) from problem
    rows = [
        {
            "ref": d.ref,
            "verdict": d.verdict,
            "score": round(d.score, 4),
            "dx_mm": round(d.dx_mm, 3),
            "dy_mm": round(d.dy_mm, 3),
            "rotation_deg": d.rotation_deg,
        }
        for d in found.differences
    ]
    text = [f"{row['ref']:<6} {row['verdict']:<14} {row['score']:.2f}" for row in rows]
    return Answer([judge_photo(found, design.name)], {"parts": rows}, "\n".join(text))
