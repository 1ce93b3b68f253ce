"""A Gerber file's drawing operations, read in one pass.

Most of a layer is coordinates by the hundred thousand. Here the text is cut into runs of plain operations between
whatever changes the state they are drawn in; then all coordinates become one array. Steps and repeats, blocks and
turned objects are kept as such and made into shapes later; what cannot be read is counted and named.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from fusilex.core.problems import BadInput
from fusilex.formats.layers.apertures import UNREAD, aperture_of, defined_code
from fusilex.formats.layers.drawn import ARC_ERROR_MM, Aperture, Drawn, Point, Turned, arc_points, quarter_centre
from fusilex.formats.layers.macros import BadMacro
from fusilex.formats.layers.recorder import Recorder

_RUN, _EXTENDED, _WORD = 1, 2, 3
_TOKEN = re.compile(r"\s*(?:((?:(?:G0?1)?X[-+]?\d+Y[-+]?\d+D0?[123]\*\s*)+)|%([^%]*)%|([^%*]*)\*)")
_ONE = re.compile(r"(?:G0?([123]))?(?:X([-+]?\d+))?(?:Y([-+]?\d+))?(?:I([-+]?\d+))?(?:J([-+]?\d+))?(?:D0?([123]))?$")
_LINEAR = re.compile("G0?1")
_ATTRIBUTE_NOTE = re.compile(r"G04\s*#@!\s*(T[FAOD].*)", re.S)
_FORMAT = re.compile(r"FS([LTD]?)([AI]?)(?:N\d)?(?:G\d)?X(\d)(\d)Y(\d)(\d)(?:D\d)?(?:M\d)?$")
_REPEAT = re.compile(r"SR(?:X(\d+)Y(\d+)I([-+\d.]+)J([-+\d.]+))?$")
_HARMLESS = re.compile(
    r"(IN|LN|TF|IJ|KO|PF|IC).*|IPPOS|OFA0(\.0*)?B0(\.0*)?|SFA1(\.0*)?B1(\.0*)?|MIA0B0|IR0|ASAXBY|OF|SF|MI"
)
_QUIET = re.compile(r"G90|M01|G01|G1|G54|G55|N\d+|D0*[4-9]")
MOST_UNREAD = 0.05
"""Share of statements that may be unreadable before the file is none."""
MOST_DEPTH = 10


def read_drawn(data: bytes, name: str) -> Drawn:
    """Read one Gerber file. Raises `BadInput` when it is truncated, malformed or beyond all size."""
    text = data.decode("utf-8", errors="replace")
    ending = text.rstrip()[-40:]
    if "M02*" not in ending and "M00*" not in ending:
        line = text.count("\n") + 1
        raise BadInput(
            name, "the end mark M02* of a whole Gerber file", f"an end after “{ending[-24:].strip()}”", f"line {line}"
        )
    return _Stream(text, name).drawn()


class _Stream:
    """One pass over the statements of a file."""

    def __init__(self, text: str, name: str) -> None:
        self.text, self.name = text, name
        self.attributes: list[dict[str, tuple[str, ...]]] = [{}]
        self.of_tools: dict[str, tuple[str, ...]] = {}
        self.apertures: list[Aperture] = []
        self.codes: dict[int, int] = {}
        self.waiting: list[tuple[int, int, str, str | None]] = []  # definitions: index, number, statement, function
        self.macros: dict[str, list[str]] = {}
        self.turns: list[Turned] = [Turned()]
        self.divisor = (0.0, 0.0)
        self.digits = (0, 0)
        self.leading, self.incremental = True, False
        self.unit, self.unit_said = 1.0, False
        self.to = Recorder()
        self.outer: list[tuple[Recorder, int]] = []  # what goes on when a block ends, and the block's aperture
        self.aperture, self.attribute, self.dark, self.inside, self.turned = -1, 0, True, False, 0
        self.mode, self.quadrants = 1, 0
        self.unread: Counter[str] = Counter()
        self._known: dict[tuple[int, str], int] = {}
        self.statements = 0
        self._read(text)

    def _read(self, text: str) -> None:
        at = 0
        for found in _TOKEN.finditer(text):
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

    def _skip(self, what: str) -> None:
        shown = "".join(ch if ch.isprintable() and ch != "\ufffd" else "·" for ch in " ".join(what.split())[:32])
        self.unread[f"“{shown}”"] += 1

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

    def _statement(self, word: str) -> bool:
        """Take in one statement that is not extended; true at the end of the file."""
        code = word[3:] if word[:3] in ("G54", "G55") else word
        if code[:1] == "D" and code[1:].isdecimal() and int(code[1:]) >= 10:
            self.aperture = self._tool(int(code[1:]))
        elif word == "G36":
            x, y, _ = self.to.here()
            self.inside = True
            self._add(f"X{x}Y{y}D2*")  # a contour starts here unless it says otherwise
        elif word == "G37":
            self.inside = False
        elif word in ("G74", "G75"):
            self.quadrants = int(word[1:])
        elif word in ("G70", "G71"):
            self._unit(25.4 if word == "G70" else 1.0)
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
            return self._skip(word)
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
                self._attribute(command)
            elif kind:
                _SETTINGS.get(kind, _Stream._setting)(self, command)

    def _attribute(self, command: str) -> None:
        """Set or delete an attribute of objects, or delete one of apertures."""
        if command[:2] == "TD":
            self.of_tools = {k: v for k, v in self.of_tools.items() if command[2:] not in ("", k)}
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

    def _setting(self, command: str) -> None:
        if command.startswith("IPNEG"):
            raise BadInput(self.name, "a positive image", "a negative one (IPNEG)")
        if command[0] in "GDXY":  # plain statements between percent signs, as some write them
            self._statement(command)
        elif not _HARMLESS.fullmatch(command):
            self._skip(command)

    def _format(self, command: str) -> None:
        digits = _FORMAT.match(command)
        if digits is None:
            raise BadInput(self.name, "a format such as FSLAX46Y46", f"“{command[:32]}”", self._line(command))
        zeros, how, x0, x1, y0, y1 = digits.groups()
        said = (10.0 ** int(x1), 10.0 ** int(y1))
        if self.to.runs and said != self.divisor:
            raise BadInput(self.name, "one format a file", f"“{command[:32]}”", self._line(command))
        self.divisor, self.digits = said, (int(x0) + int(x1), int(y0) + int(y1))
        self.leading, self.incremental = zeros != "T", how == "I"

    def _mode(self, command: str) -> None:
        self._unit(25.4 if command == "MOIN" else 1.0)

    def _unit(self, mm: float) -> None:
        if self.unit_said and self.to.runs and mm != self.unit:
            raise BadInput(self.name, "one unit a file", "mm and inch")
        self.unit, self.unit_said = mm, True

    def _defined(self, command: str) -> None:
        code = defined_code(command)
        if code is None:
            return self._skip(command)
        function = ",".join(self.of_tools[".AperFunction"]) if ".AperFunction" in self.of_tools else None
        self.codes[code] = len(self.apertures)  # defined anew, it serves from here on
        self.apertures.append(UNREAD)
        self.waiting.append((self.codes[code], code, command, function))
        return None

    def _polarity(self, command: str) -> None:
        self.dark = command[2:3] != "C"

    def _turn(self, command: str) -> None:
        """LM, LR and LS: how apertures are drawn from here on."""
        now, value = self.turns[self.turned], command[2:].strip()
        try:
            if command[1] == "M":
                turned = Turned("X" in value, "Y" in value, now.degrees, now.scale)
            elif command[1] == "R":
                turned = Turned(now.mirror_x, now.mirror_y, float(value), now.scale)
            else:
                turned = Turned(now.mirror_x, now.mirror_y, now.degrees, float(value))
        except ValueError:
            return self._skip(command)
        if turned not in self.turns:
            self.turns.append(turned)
        self.turned = self.turns.index(turned)
        return None

    def _repeat(self, command: str) -> None:
        self.to.end_repeat()
        found = _REPEAT.match(command.replace(" ", ""))
        if found is None:
            return self._skip(command)
        if found[1] is not None and (int(found[1]), int(found[2])) != (1, 1):
            step = (float(found[3]) * self.unit, float(found[4]) * self.unit)
            self.to.repeating = (self.to.count, int(found[1]), int(found[2]), *step)
        return None

    def _block(self, command: str) -> None:
        """A block begins under its number, or the one in hand ends."""
        if code := re.fullmatch(r"ABD0*(\d+)", command):
            if len(self.outer) >= MOST_DEPTH:
                raise BadInput(self.name, f"blocks no deeper than {MOST_DEPTH}", "deeper ones")
            self.codes[int(code[1])] = len(self.apertures)
            self.outer.append((self.to, len(self.apertures)))
            self.apertures.append(UNREAD)
            self.to = Recorder()
        elif self.outer:
            self.to.end_repeat()
            inner = self.to
            self.to, index = self.outer.pop()
            self.apertures[index] = Aperture(UNREAD.outline, block=self._made(inner))

    def _tool_attribute(self, command: str) -> None:
        key, *values = command[2:].split(",")
        self.of_tools[key] = tuple(values)

    def _line(self, statement: str) -> str:
        return f"line {self.text.count(chr(10), 0, max(0, self.text.find(statement[:12]))) + 1}"

    def drawn(self) -> Drawn:
        """All runs as one array of operations (x, y, which), then as objects."""
        while self.outer:  # a block that never ended
            self._block("AB")
            self.unread["a block aperture that does not end"] += 1
        made = self._made(self.to)
        said = tuple(f"{n} × {what}" if n > 1 else what for what, n in self.unread.items())
        if sum(self.unread.values()) > max(3.0, MOST_UNREAD * self.statements):
            raise BadInput(self.name, "Gerber statements", said[0])
        return replace(made, unread=said)

    def _tools(self) -> None:
        """Make the apertures defined so far."""
        for index, code, command, function in self.waiting:
            try:
                self.apertures[index] = aperture_of(command, self.macros, self.unit, function)
            except (BadMacro, ValueError, OverflowError) as problem:
                said = problem if isinstance(problem, BadMacro) else "sizes that make no shape"
                self.unread[f"aperture D{code} has {said}"] += 1
        self.waiting.clear()

    def _made(self, to: Recorder) -> Drawn:
        self._tools()
        if to.runs and not self.divisor[0]:
            raise BadInput(self.name, "a format such as FSLAX46Y46 before what is drawn", "none")
        scale = self.unit / np.array([self.divisor[0] or 1, self.divisor[1] or 1])
        made = to.drawn(scale, self.apertures, self.attributes, self.turns, self.name)
        if to.lost:
            self.unread[f"{to.lost} things drawn before an aperture was chosen"] += 1
        return made


_SETTINGS: dict[str, Callable[[_Stream, str], None]] = {
    "FS": _Stream._format,
    "MO": _Stream._mode,
    "AD": _Stream._defined,
    "LP": _Stream._polarity,
    "LM": _Stream._turn,
    "LR": _Stream._turn,
    "LS": _Stream._turn,
    "SR": _Stream._repeat,
    "AB": _Stream._block,
    "TA": _Stream._tool_attribute,
}
