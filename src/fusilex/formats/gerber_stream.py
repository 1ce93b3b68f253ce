"""A Gerber file's drawing operations, read in one pass.

Most of a layer is coordinates by the hundred thousand, so they are read here, with one pattern a statement. Apertures, macros
and their attributes are left to gerbonara, which also reads whole files that use anything rarer than what is here (steps and
repeats, block apertures, turned or scaled objects, single-quadrant arcs, trailing zeros left out).
"""

from __future__ import annotations

import math
import re
import warnings
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from fusilex.core.problems import BadInput

FLASH, LINE, ARC, REGION = range(4)
MOST_OBJECTS = 400_000
ARC_ERROR_MM = 0.002
Point = tuple[float, float]


@dataclass(eq=False)
class Drawn:
    """What a file draws, in order; lengths in its own unit times `scale` are mm.

    One entry an object: kind, aperture (an index, -1 for regions), polarity, attributes (an index), start and end. `arcs` gives
    centre and sense of arcs, `contours` the corners of regions, both by index.
    """

    scale: float = 1.0
    apertures: list[Any] = field(default_factory=list)
    attributes: list[dict[str, tuple[str, ...]]] = field(default_factory=lambda: [{}])
    file_attributes: dict[str, tuple[str, ...]] = field(default_factory=dict)
    kinds: list[int] = field(default_factory=list)
    aperture: list[int] = field(default_factory=list)
    dark: list[bool] = field(default_factory=list)
    attribute: list[int] = field(default_factory=list)
    ends: list[tuple[float, float, float, float]] = field(default_factory=list)
    arcs: dict[int, tuple[Point, bool]] = field(default_factory=dict)
    contours: dict[int, list[Point]] = field(default_factory=dict)

    def add(
        self, kind: int, aperture: int, dark: bool, attribute: int, x0: float, y0: float, x1: float, y1: float
    ) -> int:
        self.kinds.append(kind)
        self.aperture.append(aperture)
        self.dark.append(dark)
        self.attribute.append(attribute)
        self.ends.append((x0, y0, x1, y1))
        return len(self.kinds) - 1


class _Rare(Exception):
    """A statement that this reader leaves to the general one."""


_STATEMENT = re.compile(
    r"\s*(?:(?:G0?([123]))?(?:X([-+]?\d+))?(?:Y([-+]?\d+))?(?:I([-+]?\d+))?(?:J([-+]?\d+))?(?:D0?([123]))?\*"
    r"|%([^%]*)%|([^%*]+)\*)"
)
_RUN = re.compile(r"(?:\s*X[-+]?\d+Y[-+]?\d+D01\*)+")
_CORNER = re.compile(r"X([-+]?\d+)Y([-+]?\d+)")
_FORMAT = re.compile(r"FSLAX(\d)(\d)Y(\d)(\d)$")
_HARMLESS = re.compile(
    r"(IN|LN).*|IPPOS|OFA0(\.0*)?B0(\.0*)?|SFA1(\.0*)?B1(\.0*)?|MIA0B0|IR0|ASAXBY|SRX1Y1.*|SR|LMN|LR0(\.0*)?|LS1(\.0*)?"
)


def read_drawn(data: bytes, name: str) -> Drawn:
    """Read one Gerber file. Raises `BadInput` when it is truncated, malformed or beyond all size."""
    text = data.decode("utf-8", errors="replace")
    ending = text.rstrip()[-40:]
    if "M02*" not in ending and "M00*" not in ending:
        line = text.count("\n") + 1
        raise BadInput(
            name, "the end mark M02* of a whole Gerber file", f"an end after “{ending[-24:].strip()}”", f"line {line}"
        )
    try:
        return _Stream(text, name).drawn
    except _Rare:
        return _general(text, name)


class _Stream:
    """One pass over the statements of a file."""

    def __init__(self, text: str, name: str) -> None:
        self.name = name
        self.drawn = Drawn()
        self.header: list[str] = []
        self.codes: dict[int, int] = {}
        self.divisor = 0
        self.current: dict[str, tuple[str, ...]] = {}
        self.dark = True
        self._run(text)
        self._apertures()

    def _run(self, text: str) -> None:
        drawn = self.drawn
        kinds, apertures, darks, attributes, ends = (
            drawn.kinds, drawn.aperture, drawn.dark, drawn.attribute, drawn.ends,
        )  # fmt: skip
        statement = _STATEMENT.match
        x = y = 0
        mode, quadrants, operation, aperture, attribute = 1, 0, 0, -1, 0
        inside, at = False, 0
        contour: list[Point] = []
        while (found := statement(text, at)) is not None:
            at = found.end()
            g, sx, sy, si, sj, d, extended, word = found.groups()
            if extended is not None:
                for command in extended.split("*"):
                    if command.strip():
                        attribute = self._extended(command.strip(), extended, attribute)
                        if command.strip().startswith("AM"):
                            break  # the macro's own lines follow
                continue
            if word is not None:
                word = word.strip()
                code = word[3:] if word[:3] == "G54" else word
                if word[:3] == "G04" or not word:
                    continue
                if code[:1] == "D" and code[1:].isdigit() and int(code[1:]) in self.codes:
                    aperture = self.codes[int(code[1:])]
                elif word in ("G36", "G37"):
                    self._close(contour, attribute)
                    inside, contour = word == "G36", []
                elif word in ("G74", "G75"):
                    quadrants = int(word[1:])
                elif word in ("M02", "M00"):
                    break
                elif word not in ("G90", "M01"):
                    raise _Rare
                continue
            if g:
                mode = int(g)
            if sx is None and sy is None and d is None:
                continue
            if not self.divisor:
                raise _Rare
            to_x, to_y = int(sx) if sx is not None else x, int(sy) if sy is not None else y
            operation = int(d) if d else operation
            if operation == 1:
                if mode != 1 and quadrants != 75:
                    raise _Rare
                centre = (x + int(si or 0), y + int(sj or 0))
                if inside:
                    contour = contour or [(x, y)]
                    if mode == 1:
                        contour.append((to_x, to_y))
                        if (run := _RUN.match(text, at)) is not None:  # a pour's edge: thousands of corners at once
                            contour.extend([(int(a), int(b)) for a, b in _CORNER.findall(run[0])])
                            to_x, to_y = contour[-1]  # type: ignore[assignment]
                            at = run.end()
                    else:
                        contour += arc_points((x, y), (to_x, to_y), centre, mode == 2, ARC_ERROR_MM / drawn.scale)[1:]
                elif aperture < 0:
                    raise _Rare
                else:
                    if mode != 1:
                        drawn.arcs[len(kinds)] = centre, mode == 2
                    kinds.append(LINE if mode == 1 else ARC)
                    apertures.append(aperture)
                    darks.append(self.dark)
                    attributes.append(attribute)
                    ends.append((x, y, to_x, to_y))
            elif operation == 2:
                if contour:
                    self._close(contour, attribute)
                    contour = []
            elif operation == 3:
                if aperture < 0 or inside:
                    raise _Rare
                kinds.append(FLASH)
                apertures.append(aperture)
                darks.append(self.dark)
                attributes.append(attribute)
                ends.append((to_x, to_y, to_x, to_y))
            x, y = to_x, to_y
            if len(kinds) > MOST_OBJECTS:
                raise BadInput(self.name, f"at most {MOST_OBJECTS} drawn objects", "more")
        else:
            if text[at:].strip():
                raise _Rare

    def _close(self, contour: list[Point], attribute: int) -> None:
        if contour:
            index = self.drawn.add(REGION, -1, self.dark, attribute, 0, 0, 0, 0)
            self.drawn.contours[index] = contour

    def _extended(self, command: str, whole: str, attribute: int) -> int:
        """Take in one extended command; the index of the object attributes from now on."""
        kind = command[:2]
        if kind == "FS":
            digits = _FORMAT.match(command)
            if digits is None or digits[2] != digits[4] or self.divisor:
                raise _Rare
            self.divisor = 10 ** int(digits[2])
            self.drawn.scale /= self.divisor
            self.header.append(f"%{command}*%")
        elif kind == "MO":
            if self.drawn.kinds:
                raise _Rare
            self.drawn.scale = (25.4 if command == "MOIN" else 1.0) / (self.divisor or 1)
            self.header.append(f"%{command}*%")
        elif kind == "AM":
            self.header.append(f"%{whole}%")
        elif kind == "AD":
            number = re.match(r"ADD(\d+)", command)
            if number is None or int(number[1]) in self.codes:
                raise _Rare  # a code defined anew
            self.codes[int(number[1])] = len(self.codes)
            self.header.append(f"%{command}*%")
        elif kind == "LP":
            if command not in ("LPD", "LPC"):
                raise _Rare
            self.dark = command == "LPD"
        elif kind == "TO":
            key, *values = command[2:].split(",")
            self.current = {**self.current, key: tuple(values)}
            return self._remember()
        elif kind == "TD":
            if self.header[-1:] != [f"%{command}*%"]:
                self.header.append(f"%{command}*%")
            gone = command[2:]
            self.current = {k: v for k, v in self.current.items() if gone and k != gone}
            return self._remember()
        elif kind == "TA":
            self.header.append(f"%{command}*%")
        elif kind == "TF":
            key, *values = command[2:].split(",")
            self.drawn.file_attributes[key] = tuple(values)
        elif not _HARMLESS.fullmatch(command):
            raise _Rare
        return attribute

    def _remember(self) -> int:
        table = self.drawn.attributes
        if not self.current:
            return 0
        if table[-1] != self.current:
            table.append(self.current)
        return len(table) - 1

    def _apertures(self) -> None:
        """Let the general parser make the apertures: the definitions alone, each flashed once."""
        if not self.codes:
            return
        flashes = [f"D{code}*\nX0Y0D03*" for code in self.codes]
        text = "\n".join([*self.header, *flashes, "M02*", ""])
        parsed = _parse(text, self.name)
        if len(parsed.objects) != len(self.codes):
            raise _Rare
        self.drawn.apertures = [item.aperture for item in parsed.objects]


def _parse(text: str, name: str) -> Any:
    from gerbonara.rs274x import GerberFile

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            return GerberFile.from_string(text, filename=name)
    except Exception as error:  # the parser raises whatever its tables happen to raise
        raise BadInput(name, "Gerber statements", str(error).split(": ", 1)[-1][:160], _place(str(error))) from error


def _place(message: str) -> str:
    parts = message.split(":")
    return (
        f"line {parts[1].split()[0]}"
        if len(parts) > 1 and parts[1].split()[:1] and parts[1].split()[0].isdigit()
        else ""
    )


def _general(text: str, name: str) -> Drawn:
    """The whole file by the general parser."""
    parsed = _parse(text, name)
    if len(parsed.objects) > MOST_OBJECTS:
        raise BadInput(name, f"at most {MOST_OBJECTS} drawn objects", f"{len(parsed.objects)}")
    drawn = Drawn(file_attributes=dict(parsed.file_attrs or {}))
    known: dict[int, int] = {}
    try:
        for item in parsed.objects:
            _take(drawn, item, known)
    except (ValueError, TypeError, AttributeError, ArithmeticError) as error:
        raise BadInput(name, "shapes that can be drawn", str(error)[:160]) from error
    return drawn


def _take(drawn: Drawn, item: Any, known: dict[int, int]) -> None:
    from gerbonara.utils import MM

    scale = float(item.unit.convert_to(MM, 1.0))
    kind = {"Flash": FLASH, "Line": LINE, "Arc": ARC, "Region": REGION}[type(item).__name__]
    attributes = getattr(item, "attrs", None)
    drawn.attributes.append(attributes if isinstance(attributes, dict) else {})
    index = -1
    if kind != REGION:
        if item.aperture is None:
            raise ValueError("something drawn before an aperture was chosen")
        index = known.setdefault(id(item.aperture), len(drawn.apertures))
        if index == len(drawn.apertures):
            drawn.apertures.append(item.aperture)
    if kind == FLASH:
        ends = (item.x, item.y, item.x, item.y)
    elif kind == REGION:
        ends = (0.0, 0.0, 0.0, 0.0)
    else:
        ends = (item.x1, item.y1, item.x2, item.y2)
    made = drawn.add(
        kind, index, bool(item.polarity_dark), len(drawn.attributes) - 1, *(float(v) * scale for v in ends)
    )
    if kind == ARC:
        drawn.arcs[made] = ((item.x1 + item.cx) * scale, (item.y1 + item.cy) * scale), bool(item.clockwise)
    elif kind == REGION:
        points: list[Point] = []
        for (ax, ay), (bx, by), (clockwise, middle) in item.iter_segments():
            start, end = (ax * scale, ay * scale), (bx * scale, by * scale)
            if clockwise is None:
                points.append(start)
            else:
                centre = (middle[0] * scale, middle[1] * scale)
                points += arc_points(start, end, centre, bool(clockwise), ARC_ERROR_MM)[:-1]
        drawn.contours[made] = points


def arc_points(start: Point, end: Point, centre: Point, clockwise: bool, error: float) -> list[Point]:
    """Points along an arc, ends included, within `error` of it, all in one unit. Equal ends mean a full circle."""
    radius = math.dist(start, centre)
    first = math.atan2(start[1] - centre[1], start[0] - centre[0])
    last = math.atan2(end[1] - centre[1], end[0] - centre[0])
    sweep = (first - last if clockwise else last - first) % (2 * math.pi)
    if math.dist(start, end) < 1e-3 * error or sweep < 1e-9:
        sweep = 2 * math.pi
    step = 2 * math.acos(max(0.0, 1 - error / max(radius, 2 * error)))
    n = min(720, max(2, math.ceil(sweep / step)))
    sign = -1 if clockwise else 1
    angles = first + sign * np.linspace(0, sweep, n + 1)
    points = [(centre[0] + radius * math.cos(a), centre[1] + radius * math.sin(a)) for a in angles]
    return [start, *points[1:-1], end]
