"""A drill file as a programme: every statement obeyed in turn, tools, repeats, slots and routed paths among them."""

from __future__ import annotations

import re
from collections.abc import Callable

from msgspec import Struct

from fusilex.core.design.model import Hole
from fusilex.core.problems import BadInput
from fusilex.core.progress import while_wanted

INCH_MM = 25.4
MOST_REPEATS = 10_000

_XY = r"(?:X([-+]?\d*\.?\d*))?(?:Y([-+]?\d*\.?\d*))?"
_ARC = r"(?:A[-+]?\d*\.?\d*)?(?:I[-+]?\d*\.?\d*)?(?:J[-+]?\d*\.?\d*)?"
_UNITS = {"MILS": INCH_MM / 1000, "INCH": INCH_MM, "MM": 1.0, "METRIC": 1.0}


class _Tool(Struct, frozen=True):
    diameter: float
    plated: bool | None


class _Program(Struct):
    """What is in force between statements; lengths in mm once they are read.

    `digits` are those before and after the point that a number without one has, None until the file says so;
    `leading` is True where leading zeros are left out.
    """

    scale: float | None = None
    digits: tuple[int, int] | None = None
    leading: bool = True
    relative: bool = False
    tools: dict[int, _Tool] = {}
    tool: _Tool | None = None
    waiting: int = 0
    plated: bool | None = None
    x: float = 0.0
    y: float = 0.0
    routing: bool = False
    down: bool = False
    ended: bool = False
    holes: list[tuple[float, float, _Tool, bool]] = []

    @property
    def unit(self) -> float:
        """Millimetres of the file's unit. Raises ValueError before it was stated: nobody may guess it here."""
        if self.scale is None:
            raise ValueError("a number, and nothing that says inch or mm")
        return self.scale

    def length(self, text: str) -> float:
        """A number as written, in mm. Raises ValueError for digits whose meaning nothing states."""
        sign, digits = -1.0 if text.startswith("-") else 1.0, text.lstrip("+-")
        if "." in digits or digits == "00":
            return sign * float(digits) * self.unit
        if self.digits is None:
            raise ValueError("digits without a point, and nothing that says where it goes")
        whole, decimals = self.digits
        padded = digits if self.leading else digits.ljust(whole + decimals, "0")
        return sign * int(padded) * 10.0**-decimals * self.unit

    def move(self, x: str | None, y: str | None) -> None:
        if x:
            self.x = self.length(x) + (self.x if self.relative else 0.0)
        if y:
            self.y = self.length(y) + (self.y if self.relative else 0.0)

    def hole(self, goes_on: bool = False) -> None:
        if self.tool is not None:
            self.holes.append((self.x, self.y, self.tool, goes_on))

    # statements: what each does with its match

    def defined(self, m: re.Match[str]) -> None:
        if size := re.search(r"C([\d.]+)", m[2]):
            self.tools[int(m[1])] = _Tool(float(size[1]) * self.unit, self.plated)

    def listed(self, m: re.Match[str]) -> None:
        """A tool defined in a comment; without tool changes the holes follow in the order of the sizes."""
        plated = None if m[4] is None else m[4] != "NON_PLATED"
        if self.scale is None:
            self.scale = INCH_MM if m[5].upper() in ("MILS", "INCH") else 1.0
        self.tools[int(m[2])] = _Tool(float(m[3]) * _UNITS[m[5].upper()], plated)
        if m[1] is None and m[4] is not None and self.tool is None:
            self.tool, self.waiting = self.tools[int(m[2])], 1

    def chosen(self, m: re.Match[str]) -> None:
        if (number := int(m[1])) == 0:
            return
        if number not in self.tools:
            raise ValueError(f"tool {number}, which is nowhere defined")
        self.tool = self.tools[number]

    def units(self, m: re.Match[str]) -> None:
        metric = m[1] in ("METRIC", "M71")
        self.scale = 1.0 if metric else INCH_MM
        if m[2]:
            self.leading = m[2] == "TZ"
        if m[3]:
            whole, _, decimals = m[3].partition(".")
            self.digits = len(whole), len(decimals)
        elif self.digits is None and not metric:
            self.digits = 2, 4

    def file_format(self, m: re.Match[str]) -> None:
        self.digits = int(m[1]), int(m[2])

    def format_said(self, m: re.Match[str]) -> None:
        if m[1] != "-":
            self.digits = int(m[1]), int(m[2])
        self.relative = m[3].strip().lower() == "incremental"
        self.scale = INCH_MM if m[4].strip().lower() == "inch" else 1.0

    def format_listed(self, m: re.Match[str]) -> None:
        """In this comment “leading” means that leading zeros are kept, the other way round than behind INCH."""
        self.digits = int(m[1]), int(m[2])
        self.relative = m[3] == "Incremental"
        self.scale = INCH_MM if m[4] == "Inch" else 1.0
        self.leading = m[5] == "Trailing"

    def contents(self, m: re.Match[str]) -> None:
        self.plated = m[1].upper() in ("PLATED", "DRILL PTH")

    def at(self, m: re.Match[str]) -> None:
        if self.routing:
            self.feed(m)
        else:
            self.move(m[1], m[2])
            self.hole()

    def slot(self, m: re.Match[str]) -> None:
        self.move(m[1], m[2])
        self.hole()
        self.move(m[3], m[4])
        self.hole(goes_on=True)

    def repeat(self, m: re.Match[str]) -> None:
        if int(m[1]) > MOST_REPEATS:
            raise ValueError(f"{m[1]} repeats, more than {MOST_REPEATS:,}")
        dx, dy = (self.length(v) if v else 0.0 for v in (m[2], m[3]))
        for _ in range(int(m[1])):
            self.x, self.y = self.x + dx, self.y + dy
            self.hole()

    def rout_to(self, m: re.Match[str]) -> None:
        self.routing = True
        self.move(m[1], m[2])

    def feed(self, m: re.Match[str]) -> None:
        """A routed path: both ends are drilled at least, and nothing here asks for more."""
        start = self.x, self.y
        self.move(m[1], m[2])
        if self.routing and self.down and (m[1] or m[2]) and self.tool is not None:
            again = bool(self.holes) and self.holes[-1][:2] == start
            self.holes.append((*start, self.tool, again))
            self.hole(goes_on=True)

    def drill_mode(self, m: re.Match[str]) -> None:
        self.routing = self.down = False

    def lowered(self, m: re.Match[str]) -> None:
        self.down = m[0] == "M15"

    def increments(self, m: re.Match[str]) -> None:
        self.relative = m[0] in ("ICI,ON", "ICION", "G91")

    def zero(self, m: re.Match[str]) -> None:
        if any(v and float(v) for v in m.groups()):
            raise ValueError("a zero that is moved (G93), which is not read")

    def stop(self, m: re.Match[str]) -> None:
        if self.waiting:
            self.waiting = min(max(self.tools), self.waiting + 1)
            self.tool = self.tools[self.waiting]
        else:
            self.ended = True

    def nothing(self, m: re.Match[str]) -> None:
        """Says nothing of where holes are."""


_STATEMENTS: tuple[tuple[str, Callable[[_Program, re.Match[str]], None]], ...] = (
    (
        r";(T\d+)?\s*Holesize (\d+)\.? = ([\d.]+)(?: Tolerance = \S+)?(?: (PLATED|NON_PLATED|OPTIONAL))?"
        r" (MILS|MM|mm|INCH|inch|METRIC)\b.*",
        _Program.listed,
    ),
    (r";FILE_FORMAT=(\d):(\d).*", _Program.file_format),
    (r";\s*FORMAT=\{([-\d]+):([-\d]+) ?/ (.*?) / (.*?) / .*\}.*", _Program.format_said),
    (r"; Format\s*: (\d+)\.(\d+) / (Absolute|Incremental) / (Inch|MM) / (Leading|Trailing).*", _Program.format_listed),
    (r"; Contents: .* / (?:Drill|Mill) / (Plated|Non-Plated).*", _Program.contents),
    (r";TYPE=(PLATED|NON_PLATED).*", _Program.contents),
    (r";Layer: (Drill N?PTH).*", _Program.contents),
    (r";.*", _Program.nothing),
    (r"T(\d+)((?:[A-Z][-+]?[.\d]+)+)", _Program.defined),
    (r"T(\d+)", _Program.chosen),
    (rf"R(\d+){_XY}", _Program.repeat),
    (rf"{_XY}G85{_XY}", _Program.slot),
    (rf"G00{_XY}", _Program.rout_to),
    (rf"G0[123]{_XY}{_ARC}", _Program.feed),
    (rf"(?=[XY]){_XY}{_ARC}", _Program.at),
    (r"(METRIC|INCH|M71|M72)(?:,(LZ|TZ))?(?:,(0*\.0*))?", _Program.units),
    (r"G05", _Program.drill_mode),
    (r"M15|M16|M17", _Program.lowered),
    (r"ICI,?(?:ON|OFF)|G90|G91", _Program.increments),
    (rf"G93{_XY}", _Program.zero),
    (r"M30|M00|M02", _Program.stop),
    (r"M48|M95|%|M06|DETECT,ON|ATC,ON|FMAT,?[2]?|VER,?\d*|G4[012]|F\d+", _Program.nothing),
)
_COMPILED: list[tuple[re.Pattern[str], Callable[[_Program, re.Match[str]], None]]] = []


def obeyed(text: str, name: str, plated: bool, stated: bool) -> tuple[Hole, ...]:
    """The holes of a drill programme, mm. A tool's own plating counts unless the file's was `stated`.

    Raises `BadInput` naming the line of the first statement that is none.

    >>> text = "M48\\nMETRIC\\nT1C0.8\\n%\\nT1\\nX1.0Y2.0\\nR2X2.5\\nM30"
    >>> [(h.x, h.y, h.diameter) for h in obeyed(text, "x.drl", True, True)]
    [(1.0, 2.0, 0.8), (3.5, 2.0, 0.8), (6.0, 2.0, 0.8)]
    """
    if not _COMPILED:
        _COMPILED.extend((re.compile(pattern), act) for pattern, act in _STATEMENTS)
    program, held = _Program(), ""
    for number, line in while_wanted(enumerate(text.splitlines(), 1)):
        line = line.strip()
        if line in ("", "G00", "G01"):  # their coordinates may stand in the next line
            held = line or held
            continue
        line, held = held + line, ""
        if program.ended:
            break
        found = next(((m, act) for pattern, act in _COMPILED if (m := pattern.fullmatch(line))), None)
        if found is None:
            raise BadInput(name, "a statement of the drill format", f"“{line[:32]}”", f"line {number}")
        try:
            found[1](program, found[0])
        except ValueError as problem:
            raise BadInput(name, "a drill statement that can be obeyed", str(problem), f"line {number}") from problem
    return tuple(
        Hole(x, y, tool.diameter, plated if stated or tool.plated is None else tool.plated, goes_on=goes_on)
        for x, y, tool, goes_on in program.holes
    )
