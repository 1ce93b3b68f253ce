"""The verbs of inspection: the microscope's way over a board, and what faults have in common."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import numpy as np

from fusilex.bench.intake.design import read_design
from fusilex.bench.verbs.answer import Answer
from fusilex.core.design.hidden_joints import hidden_parts
from fusilex.core.inspection.patterns import Pattern, Suspect, patterns, suspect
from fusilex.core.inspection.tour import joints_seen, tour
from fusilex.core.judgement import Because, Judgement, Level
from fusilex.core.problems import BadInput
from fusilex.formats.bundle import read_one
from fusilex.formats.lists.opportunities import read_opportunities

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
    many = f"{len(found.stops)} field{'s' if len(found.stops) > 1 else ''}"
    headline = f"{many} cover all {len(names)} joints of the {side}"
    hidden = [p.ref for p in hidden_parts(design) if p.side == side]
    large = int(((boxes[:, 2:] - boxes[:, :2]) > np.array(size) * (1 - overlap)).any(axis=1).sum())
    if not names:
        headline = f"No joint lies open to the {side}"
    numbers: tuple[Because, ...] = (
        Because("no tour has fewer than", found.bound_stops),
        Because("way", found.path_mm, "mm"),
    )
    numbers += (Because("larger than the field, seen by the middle", large),) if large else ()
    numbers += (Because("under their bodies, not to be seen", ", ".join(hidden[:6])),) if hidden else ()
    level = Level.UNKNOWN if not names else Level.CARE if large or hidden else Level.GO
    text = [headline, *(f"{n:3d}  {s.x:8.2f} {s.y:8.2f}  {len(s.joints)} joints" for n, s in enumerate(found.stops, 1))]
    return Answer([Judgement("inspect.tour", level, design.name, headline, numbers)], data, "\n".join(text))


def _size(field: str) -> tuple[float, float]:
    """Width and height (mm) as typed, ``20,15``. Raises `BadInput`."""
    try:
        wide, high = (float(v) for v in field.replace("x", ",").split(","))
    except ValueError:
        wide = high = math.nan
    if not (0 < wide <= LARGEST_MM and 0 < high <= LARGEST_MM):
        raise BadInput("--field", f"width and height up to {LARGEST_MM:g} mm, such as 20,15", field)
    return wide, high


def find_patterns(file: str) -> Answer:
    """What the faults of a record have in common: a CSV, a row an opportunity, `fault` 0 or 1, any other columns.
    Raises `BadInput`.
    """
    attributes, fault = read_opportunities(read_one(Path(file)), Path(file).name)
    found = patterns(attributes, fault)
    doubt = None if found else suspect(attributes, fault)
    boards = len(set(attributes.get("board", ()))) or None
    more = None if doubt is None or doubt.times is None or boards is None else math.ceil(boards * (doubt.times - 1))
    data: dict[str, Any] = {"findings": [_row(one) for one in found], "more_boards": more}
    data |= {"opportunities": len(fault), "faults": sum(fault)}
    judged = [_judged(one, Path(file).name) for one in found]
    if not found:
        judged = [_nothing(doubt, more, sum(fault), len(fault), Path(file).name)]
    return Answer(judged, data, "\n".join(j.headline for j in judged))


def _row(one: Pattern) -> dict[str, Any]:
    row = {name: getattr(one, name) for name in ("attribute", "value", "faults", "of", "p", "q", "ratio")}
    return {**row, "ratio_within95": list(one.within95), "also": [list(pair) for pair in one.also]}


def _judged(one: Pattern, subject: str) -> Judgement:
    headline = (
        f"{one.attribute} {one.value}: {one.faults} faults of {one.of}, {one.ratio:.1f} times as often as elsewhere"
    )
    numbers = (
        Because("within 95 %", f"{one.within95[0]:.1f} to {one.within95[1]:.1f} times"),
        Because("chance of it, over all looked at", f"{one.q:.2g}"),
        *(Because("cannot be told from", f"{name} {value}") for name, value in one.also),
    )
    return Judgement(
        "inspect.pattern", Level.CARE, subject, headline, numbers, f"Look at {one.attribute} {one.value} first."
    )


def _nothing(doubt: Suspect | None, more: int | None, faults: int, of: int, subject: str) -> Judgement:
    """No finding: nothing common, or not enough to tell."""
    numbers = (Because("faults", faults), Because("opportunities", of))
    if doubt is None:
        level = Level.GO if faults else Level.UNKNOWN
        text = (
            f"{faults} faults have nothing in common that chance does not explain" if faults else "No fault, no pattern"
        )
        return Judgement("inspect.pattern", level, subject, text, numbers)
    text = (
        f"Whether {doubt.attribute} {doubt.value} is behind it cannot be told yet: {doubt.faults} faults of {doubt.of}"
    )
    boards = (
        f"About {more} more boards like these would tell."
        if more
        else "Many more boards like these would have to tell."
    )
    return Judgement("inspect.pattern", Level.UNKNOWN, subject, text, numbers, boards)
