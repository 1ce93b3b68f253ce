"""A Gerber file's drawing operations, read in one pass.

Most of a layer is coordinates by the hundred thousand. Here the text is cut into runs of plain operations between
whatever changes the state they are drawn in; then all coordinates become one array. Steps and repeats, blocks and
turned objects are kept as such and made into shapes later; what cannot be read is counted and named.
"""

from __future__ import annotations

import re

import numpy as np
from msgspec.structs import replace

from fusilex.core.problems import BadInput
from fusilex.core.progress import OFTEN, wanted_still
from fusilex.formats.layers.apertures import UNREAD
from fusilex.formats.layers.drawn import ARC_ERROR_MM, Drawn, Point, arc_points, quarter_centre
from fusilex.formats.layers.state import State

_RUN, _EXTENDED, _WORD = 1, 2, 3
_TOKEN = re.compile(
    r"\s*(?:((?:(?:G0?1)?X[-+]?\d{1,12}Y[-+]?\d{1,12}D0?[123]\*\s*){1,5000})|%([^%]*)%|([^%*]*)\*)", re.ASCII
)
_PLACES = "".join(rf"(?:{letter}([-+]?\d{{1,12}}))?" for letter in "XYIJ")
_ONE = re.compile(rf"(?:G0?([123]))?{_PLACES}(?:D0?([123]))?$", re.ASCII)
_LINEAR = re.compile("G0?1")
_SELECT = re.compile(r"D[0-9]{2,9}")
_ATTRIBUTE_NOTE = re.compile(r"G04\s*#@!\s*(T[FAOD].*)", re.S)
_HARMLESS = re.compile(
    r"(IN|LN|TF|IJ|KO|PF|IC).*|IPPOS|OFA0(\.0*)?B0(\.0*)?|SFA1(\.0*)?B1(\.0*)?|MIA0B0|IR0|ASAXBY|OF|SF|MI"
)
_QUIET = re.compile(r"G90|M01|G01|G1|G54|G55|N\d+|D0*[4-9]")
MOST_OPERATIONS = 3_500_000
MOST_MM = 1e4
MOST_UNREAD = 0.05
"""Share of statements that may be unreadable before the file is none."""


def read_drawn(data: bytes, name: str) -> Drawn:
    """Read one Gerber file. Raises `BadInput` when it is truncated, malformed or beyond all size."""
    text = data.rstrip(b"\0\x1a\r\n ").decode("utf-8", errors="replace")  # padded as some disks and ports pad files
    ending = text[-40:]
    if "M02*" not in ending and "M00*" not in ending:
        line = text.count("\n") + 1
        raise BadInput(
            name, "the end mark M02* of a whole Gerber file", f"an end after “{ending[-24:].strip()}”", f"line {line}"
        )
    return _Stream(text, name).drawn()


class _Stream(State):
    """One pass over the statements of a file."""

    def __init__(self, text: str, name: str) -> None:
        super().__init__(text, name)
        self._read(text)

    def _read(self, text: str) -> None:
        at = 0
        for found in _TOKEN.finditer(text):
            if self.statements % OFTEN == 0:
                wanted_still()
            if found.start() != at and (between := text[at : found.start()].strip()):
                self._statement(between)  # one that lacks its star, or nothing
            at = found.end()
            self.statements += 1
            kind = found.lastindex
            if kind == _RUN:
                self._take_run(found[_RUN])
            elif kind == _EXTENDED:
                if found[_EXTENDED] == "TD*" and not self.of_tools:
                    self.attribute = 0  # the commonest of all: after every pad
                else:
                    self._extended(found[_EXTENDED])
            elif self._statement(found[_WORD].strip()):
                break
        self.to.end_repeat()

    def _take_run(self, run: str) -> None:
        if run[0] == "G":
            self.mode = 1
        if self.mode == 1 and self.leading and not self.incremental:
            self._add(_LINEAR.sub("", run) if "G" in run else run)
        else:  # between lines and arcs: one statement after the other
            for word in run.split("*")[:-1]:
                self._statement(word.strip())

    def _add(self, run: str) -> None:
        to = self.to
        to.runs.append(run)
        to.states.append((self.aperture, self.attribute, self.dark, self.inside, self.turned))
        to.counts.append(run.count("*"))
        to.count += to.counts[-1]
        if to.count > MOST_OPERATIONS:
            raise BadInput(self.name, f"at most {MOST_OPERATIONS:,} drawing operations", "more")

    def _statement(self, word: str) -> bool:
        """Take in one statement that is not extended; true at the end of the file."""
        code = word[3:] if word[:3] in ("G54", "G55") else word
        if _SELECT.fullmatch(code) and int(code[1:]) >= 10:
            self.aperture = self._tool(int(code[1:]))
            if self.outer and self.in_hand(self.aperture):
                raise BadInput(self.name, "blocks that draw others", f"block {code}, which draws itself")
        elif word == "G36":
            x, y, _ = self.to.here()
            self.inside = True
            self._add(f"X{x}Y{y}D2*")  # a contour starts here unless it says otherwise
        elif word == "G37":
            self.inside = False
        elif word in ("G74", "G75"):
            self.quadrants = int(word[1:])
        elif word in ("G70", "G71"):
            self.set_unit(25.4 if word == "G70" else 1.0)
        elif word in ("G90", "G91"):
            self.incremental = word == "G91"
        elif word in ("M02", "M00"):
            return True
        elif word[:3] == "G04" or word[:2] == "G4":
            if note := _ATTRIBUTE_NOTE.match(word):  # attributes in comments, as files for older readers have them
                self._extended(note[1])
        elif word and not _QUIET.fullmatch(word):
            self._operation(word)
        elif word in ("G01", "G1"):
            self.mode = 1
        return False

    def _tool(self, code: int) -> int:
        if code not in self.codes:
            self.codes[code] = len(self.apertures)
            self.apertures.append(UNREAD)
            self.unread[f"aperture D{code}, which nothing defines"] += 1
        return self.codes[code]

    def _operation(self, word: str) -> None:
        """A drawing statement that leaves something out, or an arc."""
        found = _ONE.match(word)
        if found is None:
            return self.skip(word)
        g, sx, sy, si, sj, sd = found.groups()
        self.mode = int(g or self.mode)
        if sx is None and sy is None and sd is None:
            return None
        x, y, before = self.to.here()
        to_x, to_y = self._coordinate(sx, x, 0), self._coordinate(sy, y, 1)
        operation = int(sd or before)
        if operation == 1 and self.mode != 1:
            i, j = (self._digits(s, k) if s else 0.0 for k, s in enumerate((si, sj)))
            self._arc((x, y), (to_x, to_y), (i, j))
        if operation:
            self._add(f"X{to_x}Y{to_y}D{operation}*")
        return None

    def _coordinate(self, text: str | None, before: float, axis: int) -> float:
        if text is None:
            return before
        value = self._digits(text, axis)
        return before + value if self.incremental else value

    def _digits(self, text: str, axis: int) -> float:
        """A coordinate in the smallest steps of the file, zeros at the end filled in where they are left out."""
        if self.leading:
            return int(text)
        sign, digits = ("-" if text[0] == "-" else ""), text.lstrip("+-")
        return int(sign + digits.ljust(self.digits[axis], "0"))

    def _arc(self, start: Point, end: Point, offset: Point) -> None:
        clockwise = self.mode == 2
        if self.quadrants == 74:
            if start == end:
                return  # of no length: a dot, as its end alone draws
            centre = quarter_centre(start, end, offset, clockwise)
        else:
            centre = start[0] + offset[0], start[1] + offset[1]
        if self.inside:
            error = ARC_ERROR_MM * (self.divisor[0] or 1) / self.unit
            for px, py in arc_points(start, end, centre, clockwise, error)[1:-1]:
                self._add(f"X{px!r}Y{py!r}D1*")
        else:
            self.to.arcs[self.to.count] = centre, clockwise

    def _extended(self, whole: str) -> None:
        if whole.lstrip()[:2] == "AM":
            name, *package = whole.strip()[2:].split("*")
            self.macros[name.strip()] = package
            return
        for command in whole.split("*"):
            command = re.sub(r"\s+", " ", command.strip())
            kind = command[:2]
            if kind in ("TO", "TD"):
                self.set_attribute(command)
            elif kind and not self.set(kind, command):
                self._setting(command)

    def _setting(self, command: str) -> None:
        if command.startswith("IPNEG"):
            raise BadInput(self.name, "a positive image", "a negative one (IPNEG)")
        if command[0] in "GDXY":  # plain statements between percent signs, as some write them
            self._statement(command)
        elif not _HARMLESS.fullmatch(command):
            self.skip(command)

    def drawn(self) -> Drawn:
        """All runs as one array of operations (x, y, which), then as objects."""
        while self.outer:  # a block that never ended
            self.block("AB")
            self.unread["a block aperture that does not end"] += 1
        made = self.made(self.to)
        reach = max(np.abs(made.ends).max(initial=0.0), np.abs(made.corners).max(initial=0.0))
        if not reach < MOST_MM:
            raise BadInput(self.name, f"a board within {MOST_MM / 1000:g} m", f"something at {reach:g} mm")
        said = tuple(f"{n} × {what}" if n > 1 else what for what, n in self.unread.items())
        if sum(self.unread.values()) > max(3.0, MOST_UNREAD * self.statements):
            raise BadInput(self.name, "Gerber statements", said[0])
        return replace(made, unread=said)
