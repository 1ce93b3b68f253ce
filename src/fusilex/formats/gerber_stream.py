"""A Gerber file's drawing operations, read in one pass.

Most of a layer is coordinates by the hundred thousand. Here the text is cut into runs of plain operations between whatever
changes the state they are drawn in; then all coordinates become one array. Apertures, macros and their attributes are left to
gerbonara, which also reads whole files that use anything rarer than what is here (steps and repeats, block apertures, turned
or scaled objects, single-quadrant arcs, trailing zeros left out).
"""

from __future__ import annotations

import re
from typing import Any

import numpy as np

from fusilex.core.problems import BadInput
from fusilex.formats.gerber_drawn import ARC, ARC_ERROR_MM, FLASH, LINE, MOST_OBJECTS, REGION, Drawn, Point, arc_points
from fusilex.formats.gerber_general import parse, read_general


class Rare(Exception):
    """A statement that this reader leaves to the general one."""


_RUN, _EXTENDED, _WORD = 1, 2, 3
_TOKEN = re.compile(r"\s*(?:((?:(?:G0?1)?X[-+]?\d+Y[-+]?\d+D0?[123]\*\s*)+)|%([^%]*)%|([^%*]*)\*)")
_ONE = re.compile(r"(?:G0?([123]))?(?:X([-+]?\d+))?(?:Y([-+]?\d+))?(?:I([-+]?\d+))?(?:J([-+]?\d+))?(?:D0?([123]))?$")
_LINEAR = re.compile("G0?1")
_ATTRIBUTE_NOTE = re.compile(r"G04\s*#@!\s*(T[FAOD].*)", re.S)
_SPACES = bytes.maketrans(b"XYD*", b"    ")
_FORMAT = re.compile(r"FSLAX(\d)(\d)Y(\d)(\d)$")
_HARMLESS = re.compile(
    r"(IN|LN|TF).*|IPPOS|OFA0(\.0*)?B0(\.0*)?|SFA1(\.0*)?B1(\.0*)?|MIA0B0|IR0|ASAXBY|SRX1Y1.*|SR|LMN|LR0(\.0*)?|LS1(\.0*)?"
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
        return read_stream(text, name)
    except Rare:
        return read_general(text, name)


def read_stream(text: str, name: str) -> Drawn:
    """What the file draws. Raises `Rare` at anything that is not for this reader, `BadInput` when it is beyond all size."""
    return _Stream(text, name).drawn()


class _Stream:
    """One pass over the statements of a file, kept as runs of operations, each with the state it is drawn in."""

    def __init__(self, text: str, name: str) -> None:
        self.name = name
        self.attributes: list[dict[str, tuple[str, ...]]] = [{}]
        self.header: list[str] = []  # what the apertures depend on
        self.tool_attributes = False
        self.codes: dict[int, int] = {}
        self.divisor = 0
        self.unit = 1.0
        self.runs: list[str] = []
        self.states: list[tuple[int, int, bool, bool]] = []  # aperture, attribute, dark, inside a region
        self.counts: list[int] = []  # operations of each run
        self.count = 0
        self.arcs: dict[int, tuple[Point, bool]] = {}  # by row
        self.aperture, self.attribute, self.dark, self.inside = -1, 0, True, False
        self.mode, self.quadrants = 1, 0
        self._known: dict[tuple[int, str], int] = {}
        self._read(text)

    def _read(self, text: str) -> None:
        at = 0
        for found in _TOKEN.finditer(text):
            if found.start() != at:
                break
            at = found.end()
            kind = found.lastindex
            if kind == _RUN:
                self._take_run(found[_RUN])
            elif kind == _EXTENDED:
                if (whole := found[_EXTENDED]) == "TD*" and not self.tool_attributes:
                    self.attribute = 0  # the commonest of all: after every pad
                else:
                    self._extended(whole)
            elif self._statement(found[_WORD].strip()):
                return
        if text[at:].strip():
            raise Rare

    def _take_run(self, run: str) -> None:
        if run[0] == "G":
            self.mode = 1
        if self.mode == 1:
            self._add(_LINEAR.sub("", run) if "G" in run else run)
        else:  # between lines and arcs: one statement after the other
            for word in run.split("*")[:-1]:
                self._statement(word.strip())

    def _add(self, run: str) -> None:
        self.runs.append(run)
        self.states.append((self.aperture, self.attribute, self.dark, self.inside))
        self.counts.append(run.count("*"))
        self.count += self.counts[-1]

    def _here(self) -> tuple[float, float, int]:
        """Where the last operation ended, and which it was."""
        if not self.runs:
            return 0, 0, 0
        x, y, d = self.runs[-1].rsplit("X", 1)[1].rstrip("*\n\r\t ").replace("Y", "D").split("D")
        return _number(x), _number(y), int(d)

    def _statement(self, word: str) -> bool:
        """Take in one statement that is not extended; true at the end of the file."""
        code = word[3:] if word[:3] == "G54" else word
        if code[:1] == "D" and code[1:].isdigit() and int(code[1:]) in self.codes:
            self.aperture = self.codes[int(code[1:])]
        elif word == "G36":
            x, y, _ = self._here()
            self.inside = True
            self._add(f"X{x}Y{y}D2*")  # a contour starts here unless it says otherwise
        elif word == "G37":
            self.inside = False
        elif word in ("G74", "G75"):
            self.quadrants = int(word[1:])
        elif word in ("M02", "M00"):
            return True
        elif word[:3] == "G04":
            if note := _ATTRIBUTE_NOTE.match(word):  # attributes in comments, as files for older readers have them
                self._extended(note[1])
        elif word and word not in ("G90", "M01"):
            self._operation(word)
        return False

    def _operation(self, word: str) -> None:
        """A drawing statement that leaves something out, or an arc."""
        found = _ONE.match(word)
        if found is None:
            raise Rare
        g, sx, sy, si, sj, sd = found.groups()
        self.mode = int(g or self.mode)
        if sx is None and sy is None and sd is None:
            return
        x, y, before = self._here()
        to_x, to_y = int(sx) if sx is not None else x, int(sy) if sy is not None else y
        operation = int(sd or before)
        if operation == 1 and self.mode != 1:
            if self.quadrants != 75:
                raise Rare
            centre, clockwise = (x + int(si or 0), y + int(sj or 0)), self.mode == 2
            if self.inside:
                error = ARC_ERROR_MM * (self.divisor or 1) / self.unit
                for px, py in arc_points((x, y), (to_x, to_y), centre, clockwise, error)[1:-1]:
                    self._add(f"X{px!r}Y{py!r}D1*")
            else:
                self.arcs[self.count] = centre, clockwise
        if operation:
            self._add(f"X{to_x}Y{to_y}D{operation}*")

    def _extended(self, whole: str) -> None:
        for command in whole.split("*"):
            kind = (command := command.strip())[:2]
            if kind in ("TO", "TD"):
                self._attribute(command)
            elif kind == "AM":
                self.header.append(f"%{whole}%")
                return  # the macro's own lines follow
            elif kind:
                self._setting(command, kind)

    def _attribute(self, command: str) -> None:
        """Set or delete an attribute of objects."""
        if command[:2] == "TD" and self.tool_attributes:  # it ends the attributes of apertures, too
            self.header.append(f"%{command}*%")
            self.tool_attributes = command != "TD"
        if command == "TD":
            self.attribute = 0
            return
        key = self.attribute, command
        if (known := self._known.get(key)) is None:
            known = self._known[key] = self._changed(command)
        self.attribute = known

    def _changed(self, command: str) -> int:
        """Index of the attributes of objects after one more of them is set or deleted."""
        now = self.attributes[self.attribute]
        if command[:2] == "TO":
            key, *values = command[2:].split(",")
            now = {**now, key: tuple(values)}
        else:
            now = {k: v for k, v in now.items() if k != command[2:]}
        self.attributes.append(now)
        return len(self.attributes) - 1

    def _setting(self, command: str, kind: str) -> None:
        if kind == "FS":
            digits = _FORMAT.match(command)
            if digits is None or digits[2] != digits[4] or self.divisor:
                raise Rare
            self.divisor = 10 ** int(digits[2])
            self.header.append(f"%{command}*%")
        elif kind == "MO":
            if self.runs:
                raise Rare
            self.unit = 25.4 if command == "MOIN" else 1.0
            self.header.append(f"%{command}*%")
        elif kind == "AD":
            number = re.match(r"ADD(\d+)", command)
            if number is None or int(number[1]) in self.codes:
                raise Rare  # a code defined anew
            self.codes[int(number[1])] = len(self.codes)
            self.header.append(f"%{command}*%")
        elif kind == "LP":
            if command not in ("LPD", "LPC"):
                raise Rare
            self.dark = command == "LPD"
        elif kind == "TA":
            self.tool_attributes = True
            self.header.append(f"%{command}*%")
        elif not _HARMLESS.fullmatch(command):
            raise Rare

    def drawn(self) -> Drawn:
        """All runs as one array of operations (x, y, which), then as objects."""
        if self.runs and not self.divisor:
            raise Rare
        text = "".join(self.runs).encode().translate(_SPACES)
        whole = b"." not in text and b"e" not in text  # as nearly always, and read three times as fast
        rows = np.fromstring(text, dtype=np.int64 if whole else np.float64, sep=" ").reshape(-1, 3)
        state = np.repeat(np.array(self.states, dtype=int).reshape(-1, 4), self.counts, axis=0)
        scale = self.unit / (self.divisor or 1)
        at, operation = rows[:, :2] * scale, rows[:, 2].astype(int)
        aperture, attribute, dark, inside = state[:, 0], state[:, 1], state[:, 2].astype(bool), state[:, 3].astype(bool)
        drawing = ~inside & (operation != 2)
        if (inside & (operation == 3)).any() or (drawing & (aperture < 0)).any():
            raise Rare
        edge = inside & (operation == 1)
        first = edge.copy()  # the first edge of each contour stands for its region
        first[1:] &= ~edge[:-1]
        objects = np.flatnonzero(drawing | first)
        if len(objects) > MOST_OBJECTS:
            raise BadInput(self.name, f"at most {MOST_OBJECTS} drawn objects", f"{len(objects)}")
        number = np.cumsum(drawing | first) - 1
        kinds = np.where(first, REGION, np.where(operation == 3, FLASH, LINE))
        kinds[list(self.arcs)] = ARC
        before = np.roll(at, 1, axis=0)
        before[:1] = 0
        before[operation == 3] = at[operation == 3]
        corner = edge.copy()
        corner[:-1] |= first[1:]
        return Drawn(
            self._apertures(),
            self.attributes,
            kinds[objects],
            np.where(inside, -1, aperture)[objects],
            dark[objects],
            attribute[objects],
            np.stack([before[objects], at[objects]], axis=1),
            {int(number[i]): ((x * scale, y * scale), clockwise) for i, ((x, y), clockwise) in self.arcs.items()},
            at[corner],
            np.where(edge, number, number + 1)[corner],
        )

    def _apertures(self) -> list[Any]:
        """Let the general parser make the apertures: the definitions alone, each flashed once."""
        if not self.codes:
            return []
        flashes = [f"D{code}*\nX0Y0D03*" for code in self.codes]
        parsed = parse("\n".join([*self.header, *flashes, "M02*", ""]), self.name)
        if len(parsed.objects) != len(self.codes):
            raise Rare
        return [item.aperture for item in parsed.objects]


def _number(text: str) -> float:
    return int(text) if "." not in text and "e" not in text else float(text)
