"""The state a Gerber file's operations are drawn in, and the extended commands that set it: format, unit, apertures,
attributes, polarity, turns, repeats, blocks.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable

import numpy as np
import shapely

from fusilex.core.problems import BadInput
from fusilex.core.shown import shown
from fusilex.formats.layers.apertures import UNREAD, aperture_of, defined_code, macro_named
from fusilex.formats.layers.drawn import Aperture, Drawn, Turned
from fusilex.formats.layers.macros import BadMacro
from fusilex.formats.layers.recorder import Recorder

_FORMAT = re.compile(r"FS([LTD]?)([AI]?)(?:N\d)?(?:G\d)?X(\d)(\d)Y(\d)(\d)(?:D\d)?(?:M\d)?$")
_REPEAT = re.compile(r"SR(?:X([0-9]{1,9})Y([0-9]{1,9})I([-+\d.]+)J([-+\d.]+))?$")
MOST_DEPTH, MOST_PRIMITIVES, MOST_APERTURES = 10, 50_000, 20_000


class State:
    """What stands at a statement: everything that earlier ones set."""

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
        self.statements = self.primitives = 0

    def set_attribute(self, command: str) -> None:
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
            now = {**now, key: tuple(map(shown, values))}
        else:
            now = {k: v for k, v in now.items() if k != command[2:]}
        self.attributes.append(now)
        return len(self.attributes) - 1

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
        self.set_unit(25.4 if command == "MOIN" else 1.0)

    def set_unit(self, mm: float) -> None:
        if self.unit_said and self.to.runs and mm != self.unit:
            raise BadInput(self.name, "one unit a file", "mm and inch")
        self.unit, self.unit_said = mm, True

    def _defined(self, command: str) -> None:
        code = defined_code(command)
        if code is None:
            return self.skip(command)
        function = ",".join(self.of_tools[".AperFunction"]) if ".AperFunction" in self.of_tools else None
        if len(self.apertures) >= MOST_APERTURES:
            raise BadInput(self.name, f"at most {MOST_APERTURES:,} apertures", "more")
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
            return self.skip(command)
        if turned not in self.turns:
            self.turns.append(turned)
        self.turned = self.turns.index(turned)
        return None

    def _repeat(self, command: str) -> None:
        self.to.end_repeat()
        found = _REPEAT.match(command.replace(" ", ""))
        if found is None:
            return self.skip(command)
        if found[1] is not None and (int(found[1]), int(found[2])) != (1, 1):
            step = (float(found[3]) * self.unit, float(found[4]) * self.unit)
            self.to.repeating = (self.to.count, int(found[1]), int(found[2]), *step)
        return None

    def in_hand(self, index: int) -> bool:
        """True for the aperture of a block that did not end yet."""
        return any(index == open_block for _, open_block in self.outer)

    def block(self, command: str) -> None:
        """A block begins under its number, or the one in hand ends."""
        if code := re.fullmatch(r"ABD0*([0-9]{1,9})", command):
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
            self.apertures[index] = Aperture(UNREAD.outline, block=self.made(inner))

    def _tool_attribute(self, command: str) -> None:
        key, *values = command[2:].split(",")
        self.of_tools[key] = tuple(map(shown, values))

    def _line(self, statement: str) -> str:
        return f"line {self.text.count(chr(10), 0, max(0, self.text.find(statement[:12]))) + 1}"

    def _tools(self) -> None:
        """Make the apertures defined so far."""
        for index, code, command, function in self.waiting:
            self.primitives += len(self.macros.get(macro_named(command), ()))
            if self.primitives > MOST_PRIMITIVES:
                raise BadInput(self.name, f"apertures of at most {MOST_PRIMITIVES:,} primitives", "more")
            try:
                self.apertures[index] = aperture_of(command, self.macros, self.unit, function)
            except (BadMacro, ValueError, ArithmeticError, shapely.errors.ShapelyError) as problem:
                said = problem if isinstance(problem, BadMacro) else "sizes that make no shape"
                self.unread[f"aperture D{code} has {said}"] += 1
        self.waiting.clear()

    def made(self, to: Recorder) -> Drawn:
        self._tools()
        if to.runs and not self.divisor[0]:
            raise BadInput(self.name, "a format such as FSLAX46Y46 before what is drawn", "none")
        scale = self.unit / np.array([self.divisor[0] or 1, self.divisor[1] or 1])
        made = to.drawn(scale, self.apertures, self.attributes, self.turns, self.name)
        if to.lost:
            self.unread[f"{to.lost} things drawn before an aperture was chosen"] += 1
        return made

    def skip(self, what: str) -> None:
        shown = "".join(ch if ch.isprintable() and ch != "\ufffd" else "·" for ch in " ".join(what.split())[:32])
        self.unread[f"“{shown}”"] += 1

    def set(self, kind: str, command: str) -> bool:
        """Carry out an extended command; False for one that sets nothing here."""
        if (setting := _SETTINGS.get(kind)) is not None:
            setting(self, command)
        return setting is not None


_SETTINGS: dict[str, Callable[[State, str], None]] = {
    "FS": State._format,
    "MO": State._mode,
    "AD": State._defined,
    "LP": State._polarity,
    "LM": State._turn,
    "LR": State._turn,
    "LS": State._turn,
    "SR": State._repeat,
    "AB": State.block,
    "TA": State._tool_attribute,
}
