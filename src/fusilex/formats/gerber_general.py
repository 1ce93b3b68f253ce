"""Gerber files by gerbonara: the apertures of every file, and the whole of those that use anything rare."""

from __future__ import annotations

import warnings
from typing import Any

import numpy as np

from fusilex.core.problems import BadInput
from fusilex.formats.gerber_drawn import (
    ARC,
    ARC_ERROR_MM,
    FLASH,
    LINE,
    MOST_OBJECTS,
    REGION,
    Drawn,
    Point,
    arc_points,
)

_KINDS = {"Flash": FLASH, "Line": LINE, "Arc": ARC, "Region": REGION}


def parse(text: str, name: str) -> Any:
    """The file as gerbonara reads it. Raises `BadInput` with the line where that is known."""
    from gerbonara.rs274x import GerberFile

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            return GerberFile.from_string(text, filename=name)
    except Exception as error:  # the parser raises whatever its tables happen to raise
        raise BadInput(name, "Gerber statements", str(error).split(": ", 1)[-1][:160], _place(str(error))) from error


def _place(message: str) -> str:
    words = message.split(":")[1].split() if ":" in message else []
    return f"line {words[0]}" if words and words[0].isdigit() else ""


def read_general(text: str, name: str) -> Drawn:
    """What the file draws. Raises `BadInput` when it is malformed or beyond all size."""
    parsed = parse(text, name)
    if len(parsed.objects) > MOST_OBJECTS:
        raise BadInput(name, f"at most {MOST_OBJECTS} drawn objects", f"{len(parsed.objects)}")
    try:
        return _drawn(parsed)
    except (ValueError, TypeError, AttributeError, ArithmeticError) as error:
        raise BadInput(name, "shapes that can be drawn", str(error)[:160]) from error


def _drawn(parsed: Any) -> Drawn:
    from gerbonara.utils import MM

    known: dict[int, int] = {}
    apertures: list[Any] = []
    rows: list[tuple[int, int, bool]] = []
    ends: list[tuple[float, ...]] = []
    attributes: list[dict[str, tuple[str, ...]]] = []
    arcs: dict[int, tuple[Point, bool]] = {}
    corners: list[Point] = []
    owners: list[int] = []
    for i, item in enumerate(parsed.objects):
        scale = float(item.unit.convert_to(MM, 1.0))
        kind = _KINDS[type(item).__name__]
        stated = getattr(item, "attrs", None)
        attributes.append(stated if isinstance(stated, dict) else {})
        index, reach = -1, (0.0, 0.0, 0.0, 0.0)
        if kind == REGION:
            points = _contour(item, scale)
            corners += points
            owners += [i] * len(points)
        else:
            if item.aperture is None:
                raise ValueError("something drawn before an aperture was chosen")
            index = known.setdefault(id(item.aperture), len(apertures))
            if index == len(apertures):
                apertures.append(item.aperture)
            reach = (item.x, item.y) * 2 if kind == FLASH else (item.x1, item.y1, item.x2, item.y2)
        if kind == ARC:
            arcs[i] = ((item.x1 + item.cx) * scale, (item.y1 + item.cy) * scale), bool(item.clockwise)
        rows.append((kind, index, bool(item.polarity_dark)))
        ends.append(tuple(float(v) * scale for v in reach))
    kinds, aperture, dark = np.array(rows, dtype=int).reshape(-1, 3).T
    return Drawn(
        apertures,
        attributes,
        kinds,
        aperture,
        dark.astype(bool),
        np.arange(len(rows)),
        np.array(ends, dtype=float).reshape(-1, 2, 2),
        arcs,
        np.array(corners, dtype=float).reshape(-1, 2),
        np.array(owners, dtype=int),
    )


def _contour(region: Any, scale: float) -> list[Point]:
    points: list[Point] = []
    for (ax, ay), (bx, by), (clockwise, middle) in region.iter_segments():
        start, end = (ax * scale, ay * scale), (bx * scale, by * scale)
        if clockwise is None:
            points.append(start)
        else:
            centre = (middle[0] * scale, middle[1] * scale)
            points += arc_points(start, end, centre, bool(clockwise), ARC_ERROR_MM)[:-1]
    return points
