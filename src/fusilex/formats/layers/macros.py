"""Aperture macros: their sums, and their primitives as polygons."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence

import numpy as np
import shapely
from shapely import Polygon
from shapely.geometry import box
from shapely.geometry.base import BaseGeometry

from fusilex.core.overlay import union_of, without
from fusilex.formats.layers.drawn import disc, simple

_TOKEN = re.compile(r"\s*(\$\d+|\d+\.?\d*|\.\d+|[-+xX/()])")


MOST_LETTERS, MOST_PRIMITIVES = 500, 500
"""In one sum, and in one macro."""


class BadMacro(Exception):
    """A macro, or its use in an aperture, that cannot be drawn; the sentence says what was found."""


def macro_polygon(package: Sequence[str], parameters: Sequence[float], scale: float) -> BaseGeometry:
    """The shape of a macro (its statements without the name) with its parameters, about its origin, mm. `scale` is mm
    per unit.

    Raises `BadMacro`.
    """
    known = dict(enumerate(parameters, 1))
    if len(package) > MOST_PRIMITIVES:
        raise BadMacro(f"{len(package)} primitives")
    shape: BaseGeometry = Polygon()
    for statement in package:
        words = statement.strip()
        if not words or words.startswith("0"):
            continue
        if assigned := re.fullmatch(r"\$(\d+)\s*=(.*)", words, re.S):
            known[int(assigned[1])] = evaluate(assigned[2], known)
            continue
        code, *values = (evaluate(word, known) for word in words.split(","))
        if not all(map(math.isfinite, (code, *values))):
            raise BadMacro("a number beyond all size")
        exposed, piece = _primitive(int(code), values, scale)
        shape = union_of([shape, piece]) if exposed else without(shape, piece)
    return shape


def evaluate(text: str, known: Mapping[int, float]) -> float:
    """A sum of a macro: ``+ - x /`` and brackets over numbers and ``$n``; a parameter that was not given is 0.

    >>> evaluate("$1x2+(3-$2)/4", {1: 1.5, 2: 1.0})
    3.5
    """
    tokens, at, end = [], 0, len(text.rstrip())
    if end > MOST_LETTERS:
        raise BadMacro(f"a sum of {end} letters")
    while at < end:
        found = _TOKEN.match(text, at)
        if found is None:
            raise BadMacro(f"“{text.strip()[:32]}” is no sum")
        tokens.append(found[1])
        at = found.end()
    value, rest = _sum(tokens, known)
    if rest:
        raise BadMacro(f"“{text.strip()[:32]}” is no sum")
    return value


def _sum(tokens: list[str], known: Mapping[int, float]) -> tuple[float, list[str]]:
    value, tokens = _product(tokens, known)
    while tokens and tokens[0] in "+-":
        sign, (other, rest) = tokens[0], _product(tokens[1:], known)
        value, tokens = value + other if sign == "+" else value - other, rest
    return value, tokens


def _product(tokens: list[str], known: Mapping[int, float]) -> tuple[float, list[str]]:
    value, tokens = _term(tokens, known)
    while tokens and tokens[0] in "xX/":
        sign, (other, rest) = tokens[0], _term(tokens[1:], known)
        if sign == "/" and other == 0:
            raise BadMacro("a division by nothing")
        value, tokens = value / other if sign == "/" else value * other, rest
    return value, tokens


def _term(tokens: list[str], known: Mapping[int, float]) -> tuple[float, list[str]]:
    if not tokens:
        raise BadMacro("a sum that ends too soon")
    first, *rest = tokens
    if first in "+-":
        value, rest = _term(rest, known)
        return (-value if first == "-" else value), rest
    if first == "(":
        value, rest = _sum(rest, known)
        if not rest or rest[0] != ")":
            raise BadMacro("a bracket that does not close")
        return value, rest[1:]
    if first[0] == "$":
        return known.get(int(first[1:]), 0.0), rest
    if first[0].isdecimal() or first[0] == ".":
        return float(first), rest
    raise BadMacro(f"“{first}” where a number is due")


def _primitive(code: int, v: list[float], scale: float) -> tuple[bool, BaseGeometry]:
    """Whether a primitive adds to the shape, and its own shape turned about the macro's origin, mm."""
    if code == 6:
        return True, _moire(_want(v, 9, code), scale)
    if code == 7:
        return True, _thermal(_want(v, 6, code), scale)
    exposed, rest = bool(v and v[0]), [x * scale for x in v[1:]]
    if code == 1:
        diameter, x, y, *more = _want(rest, 4, code, least=3)
        return exposed, _turned(disc(x, y, diameter / 2), more[0] / scale if more else 0.0)
    if code in (2, 20):
        width, x0, y0, x1, y1, turn = _want(rest, 6, code)
        return exposed, _turned(_vector(width, x0, y0, x1, y1), turn / scale)
    if code in (21, 22):
        w, h, x, y, turn = _want(rest, 5, code)
        low = (x - w / 2, y - h / 2) if code == 21 else (x, y)
        return exposed, _turned(box(low[0], low[1], low[0] + w, low[1] + h), turn / scale)
    if code == 4:
        count = int(v[1]) if len(v) > 1 else 0
        if not 2 <= count <= 5000 or len(v) < 2 * (count + 1) + 3:
            raise BadMacro(f"an outline of {count} points with {len(v)} numbers")
        points = np.array(rest[1 : 2 * (count + 1) + 1]).reshape(-1, 2)
        return exposed, _turned(simple(points), v[2 * (count + 1) + 2])
    if code == 5:
        _, x, y, diameter, turn = _want(rest, 5, code)
        return exposed, _turned(regular(int(v[1]), diameter, 0.0, x, y), turn / scale)
    raise BadMacro(f"primitive {code}, which is none")


def _want(values: list[float], most: int, code: int, least: int | None = None) -> list[float]:
    if len(values) < (most if least is None else least):
        raise BadMacro(f"primitive {code} with {len(values)} numbers")
    return values[:most]


def _turned(shape: BaseGeometry, degrees: float) -> BaseGeometry:
    return shapely.affinity.rotate(shape, degrees, origin=(0, 0)) if degrees else shape


def _vector(width: float, x0: float, y0: float, x1: float, y1: float) -> BaseGeometry:
    """A line with square ends that do not reach beyond its end points."""
    length = math.hypot(x1 - x0, y1 - y0)
    if length == 0 or width <= 0:
        return Polygon()
    nx, ny = -(y1 - y0) / length * width / 2, (x1 - x0) / length * width / 2
    return Polygon([(x0 + nx, y0 + ny), (x0 - nx, y0 - ny), (x1 - nx, y1 - ny), (x1 + nx, y1 + ny)])


def regular(corners: int, diameter: float, degrees: float, x: float = 0.0, y: float = 0.0) -> BaseGeometry:
    """A regular polygon by the circle round it, its first corner to the right. Raises `BadMacro`."""
    if not 3 <= corners <= 360 or diameter < 0:
        raise BadMacro(f"a polygon of {corners} corners")
    angles = math.radians(degrees) + 2 * math.pi * np.arange(corners) / corners
    return Polygon(np.column_stack([x + diameter / 2 * np.cos(angles), y + diameter / 2 * np.sin(angles)]))


def _moire(v: list[float], scale: float) -> BaseGeometry:
    """Rings from the outside in, and a cross hair."""
    x, y, outer, ring, gap = (n * scale for n in v[:5])
    most, (thick, long), turn = int(v[5]), (n * scale for n in v[6:8]), v[8]
    shape: BaseGeometry = Polygon()
    for n in range(min(most, 50)):
        radius = outer / 2 - n * (ring + gap)
        if radius <= 0:
            break
        inner = radius - ring
        piece = disc(x, y, radius)
        shape = union_of([shape, without(piece, disc(x, y, inner)) if inner > 0 else piece])
    for w, h in ((long, thick), (thick, long)):
        shape = union_of([shape, box(x - w / 2, y - h / 2, x + w / 2, y + h / 2)])
    return _turned(shape, turn)


def _thermal(v: list[float], scale: float) -> BaseGeometry:
    """A ring with a gap at each of its four sides."""
    x, y, outer, inner, gap = (n * scale for n in v[:5])
    if not 0 <= inner < outer:
        raise BadMacro("a thermal whose inside is no smaller than its outside")
    ring = without(disc(x, y, outer / 2), disc(x, y, inner / 2)) if inner else disc(x, y, outer / 2)
    cross = union_of(
        [box(x - outer, y - gap / 2, x + outer, y + gap / 2), box(x - gap / 2, y - outer, x + gap / 2, y + outer)]
    )
    return _turned(without(ring, cross), v[5])
