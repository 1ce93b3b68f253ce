"""Excellon drill files into holes, with or without a header that says unit and digits."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

import numpy as np
import shapely
from msgspec import Struct
from msgspec.structs import replace
from numpy.typing import NDArray

from fusilex.core.design.model import Hole
from fusilex.core.problems import BadInput
from fusilex.core.progress import while_wanted
from fusilex.formats.identify import not_plated
from fusilex.formats.layers.drill_program import obeyed

_FUNCTION = re.compile(r"TF\.FileFunction,(NonPlated|Plated|MixedPlating)(?:,(\d+),(\d+),(?:Blind|Buried))?", re.I)
_TOOL = re.compile(r"^T0*(\d+)(?:[FSBHZ][-\d.]+)*C(\d*\.?\d+)", re.M)
_SELECT = re.compile(r"T0*(\d+)")
_SPOT = re.compile(r"(?:X([-+]?[\d.]+))?(?:Y([-+]?[\d.]+))?(?:G85(?:X([-+]?[\d.]+))?(?:Y([-+]?[\d.]+))?)?$")
_STATED_DIGITS = re.compile(r"FILE_FORMAT=\d:\d|FORMAT=\{|^(?:METRIC|INCH)\b.*,0+\.0+", re.M)
_ROUTED = re.compile(r"^(?:G0[0-3]|R\d+|M15|M25)", re.M)  # more than tools and points
UNKNOWN_DRILL = 0.8
"""Diameter (mm) taken for a tool whose size no line states."""


MOST_LINES, MOST_MM = 150_000, 1e4


class DrillFormat(Struct, frozen=True):
    """How digits without a point are meant: unit, digits before and after the point, which zeros are left out."""

    inch: bool
    whole: int
    decimals: int
    omitted: str  # leading or trailing

    def value_mm(self, text: str) -> float:
        sign = -1.0 if text.startswith("-") else 1.0
        digits = text.lstrip("+-")
        if "." in digits:
            value = float(digits)
        elif self.omitted == "leading":
            value = int(digits) / 10**self.decimals
        else:
            value = int(digits.ljust(self.whole + self.decimals, "0")) / 10**self.decimals
        return sign * value * (25.4 if self.inch else 1.0)


FORMATS = tuple(
    DrillFormat(inch, whole, decimals, omitted)
    for inch, digits in ((True, ((2, 4), (2, 3), (3, 5), (2, 5))), (False, ((3, 3), (3, 2), (4, 2), (4, 4), (2, 4))))
    for whole, decimals in digits
    for omitted in ("leading", "trailing")
)


def read_excellon(data: bytes, name: str, pads: NDArray[np.object_] | None = None) -> tuple[Hole, ...]:
    """Read one drill file. Plating comes from the file function comment, else from the name. Raises `BadInput`.

    `pads` are the copper's pads (n polygons, mm): where the file does not say how its digits are meant, the format is
    taken whose holes meet the middles of the most of them.
    """
    text = data.decode("utf-8", errors="replace")
    if not re.search(r"^\s*(M30|M00|M02)\s*$", text, re.M):
        last = text.rstrip().splitlines()[-1:] or [""]
        raise BadInput(
            name,
            "the end mark M30 of a whole drill file",
            f"an end after “{last[0][:24]}”",
            f"line {text.count(chr(10)) + 1}",
        )
    stated = _FUNCTION.search(text)
    plated = stated[1].lower() != "nonplated" if stated else not not_plated(name)
    if (lines := text.count("\n") + text.count("\r")) > MOST_LINES:
        raise BadInput(name, f"a drill file of at most {MOST_LINES:,} lines", f"{lines:,}")
    try:
        holes = _read(text, name, plated, bool(stated), pads)
    except (ValueError, ArithmeticError, shapely.errors.ShapelyError) as problem:
        raise BadInput(name, "coordinates and tools in numbers", str(problem)[:80]) from problem
    if beyond := next((h for h in holes if not max(abs(h.x), abs(h.y), h.diameter) < MOST_MM), None):
        raise BadInput(name, f"holes within {MOST_MM / 1000:g} m", f"one at {beyond.x:g}, {beyond.y:g} mm")
    if stated and stated[2]:  # blind or buried
        return tuple(replace(h, span=(int(stated[2]), int(stated[3]))) for h in holes)
    return holes


def _read(text: str, name: str, plated: bool, stated: bool, pads: NDArray[np.object_] | None) -> tuple[Hole, ...]:
    if not re.search(r"^M48", text, re.M) or _digits_unsaid(text):
        return _guessed(text, name, plated, pads)
    if (holes := _plain(text, name, plated)) is not None:
        return holes
    try:
        return obeyed(text, name, plated, stated)
    except BadInput:
        if _ROUTED.search(text) or not (holes := _guessed(text, name, plated, pads)):
            raise
        return holes


def _digits_unsaid(text: str) -> bool:
    """True when coordinates have no decimal point and no statement gives their digits."""
    return not _STATED_DIGITS.search(text) and not re.search(r"^X[-+]?\d*\.\d*|^Y[-+]?\d*\.\d*", text, re.M)


_EVERYDAY = re.compile(
    r";.*|M48|M95|%|FMAT,2|(?:METRIC|INCH)(?:,[LT]Z)?(?:,0+\.0+)?|M71|M72|G90|G05"
    r"|T0*\d+(?:[FSBHZ][-\d.]+)*C\d*\.?\d+|T0*\d+|X-?\d*\.\d*Y-?\d*\.\d*(?:G85X-?\d*\.\d*Y-?\d*\.\d*)?|M30|",
)


def _plain(text: str, name: str, plated: bool) -> tuple[Hole, ...] | None:
    """A file of nothing but tools and points with decimals, read at once; None for one with anything else in it."""
    lines = [line.strip() for line in text.splitlines()]
    unit = re.search(r"^(METRIC|M71|INCH|M72)", text, re.M)
    if unit is None or any(_EVERYDAY.fullmatch(line) is None for line in lines) or "TYPE=" in text:
        return None
    scale = 25.4 if unit[1] in ("INCH", "M72") else 1.0
    sizes = {m[1]: float(m[2]) * scale for m in _TOOL.finditer(text)}
    spots = list(_spots(text, name))
    if any(tool not in sizes for tool, *_ in spots):
        return None
    return tuple(
        Hole(float(x) * scale, float(y) * scale, sizes[tool], plated, goes_on=goes_on) for tool, x, y, goes_on in spots
    )


def _spots(text: str, name: str) -> Iterator[tuple[str, str, str, bool]]:
    """(tool, x, y, whether a slot goes on to it) of every hole as written; coordinates left out are as before."""
    tool, x, y = "", "0", "0"
    package = re.split(r"^(?:%|M95)\s*$", text, maxsplit=1, flags=re.M)[-1] if re.search(r"^M48", text, re.M) else text
    for number, line in while_wanted(enumerate(package.splitlines(), 1)):
        line = line.strip()
        if _TOOL.match(line) and not line.startswith("X"):
            tool = _SELECT.match(line)[1]  # type: ignore[index]
        elif match := _SELECT.fullmatch(line):
            tool = match[1]
        elif line[:1] in ("X", "Y"):
            spot = _SPOT.match(line)
            if spot is None:
                raise BadInput(name, "a coordinate such as X1234Y5678", f"“{line[:32]}”", f"line {number}")
            x, y = spot[1] or x, spot[2] or y
            yield tool, x, y, False
            if spot[3] or spot[4]:
                x, y = spot[3] or x, spot[4] or y
                yield tool, x, y, True


def _guessed(text: str, name: str, plated: bool, pads: NDArray[np.object_] | None) -> tuple[Hole, ...]:
    spots = list(_spots(text, name))
    if not spots:
        return ()
    formats = [f for f in _candidates(text) if _allowed(f, text)]
    try:
        tried = [np.array([[f.value_mm(x), f.value_mm(y)] for _, x, y, _ in spots]) for f in formats]
    except ValueError as error:
        raise BadInput(name, "coordinates in digits", "something else among them") from error
    middles = shapely.STRtree(shapely.centroid(pads)) if pads is not None else None
    best = max(range(len(formats)), key=lambda i: (_hits(tried[i], middles), -i))
    chosen = formats[best]
    sizes = {m[1]: float(m[2]) * (25.4 if chosen.inch else 1.0) for m in _TOOL.finditer(text)}
    return tuple(
        Hole(float(x), float(y), sizes.get(tool, UNKNOWN_DRILL), plated, goes_on=goes_on)
        for (tool, _, _, goes_on), (x, y) in zip(spots, tried[best], strict=True)
    )


def _candidates(text: str) -> Sequence[DrillFormat]:
    """The usual formats, or those with the digits that a comment states."""
    digits = re.search(r"FORMAT=\{?(\d):(\d)", text)
    if digits is None:
        return FORMATS
    whole, decimals = int(digits[1]), int(digits[2])
    return [DrillFormat(inch, whole, decimals, o) for inch in (True, False) for o in ("leading", "trailing")]


def _allowed(f: DrillFormat, text: str) -> bool:
    unit = re.search(r"^(METRIC|M71|INCH|M72)", text, re.M)
    if unit and f.inch != (unit[1] in ("INCH", "M72")):
        return False
    kept = re.search(r"^(?:METRIC|INCH),(LZ|TZ)", text, re.M)  # LZ: leading zeros are there, trailing ones left out
    return not kept or f.omitted == ("trailing" if kept[1] == "LZ" else "leading")


def _hits(points: NDArray[np.float64], middles: shapely.STRtree | None) -> float:
    """Share of holes in the middle of a pad."""
    if middles is None:
        return 0.0
    near, _ = middles.query(shapely.points(points), predicate="dwithin", distance=0.06)
    return len(set(near.tolist())) / len(points)
