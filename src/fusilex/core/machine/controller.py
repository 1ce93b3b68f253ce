"""What a placing machine does with the blocks of a programme: modes, tools, moves and the time they take.

The dialect, also in docs/formats.md: ``G43 Hn`` puts head n to work: X, Y and Z are then the place of its tip; A B C U
V W turn heads 1 to 6. ``T n M6`` takes nozzle n (0: none) onto that head, ``M61 Qn`` says that a
person put it there before the start. ``M64 Pn`` and ``M65 Pn`` hold and let go
with head n, ``M101 Pn`` looks at its part from below, ``M102 Pn`` pulls slot n forward, ``M0`` waits for the person.
"""

from __future__ import annotations

from collections.abc import Iterator
from enum import Enum

from msgspec import Struct

from fusilex.core.machine.model import AXES, Axis, Machine
from fusilex.core.machine.motion import axis_seconds
from fusilex.core.machine.rs274 import BadBlock, Block

MOST_DWELL_S, LARGEST = 3600.0, 1e5
DEEPEST_MM, SLACK_MM = 1.0, 1e-3
_QUIET_G = {17.0, 21.0, 40.0, 49.0, 54.0, 61.0, 64.0, 80.0, 90.0, 94.0}
_LETTERS = set("GMXYZFHPQT" + AXES)


class Doing(Enum):
    """What a step of the machine is."""

    MOVE = "move"
    DWELL = "dwell"
    CHANGE = "change"
    GIVEN = "given"
    HOLD = "hold"
    LET_GO = "let go"
    LOOK = "look"
    FEED = "feed"
    WAIT = "wait"
    END = "end"


class Step(Struct, frozen=True):
    """One thing done: seconds it takes; the head (from 0), slot or nozzle it is about; the beam's place, the tip's
    height and the heads' turns when it is over; the line it comes from.
    """

    doing: Doing
    seconds: float
    item: int
    head: int
    x: float
    y: float
    z: float
    turns: tuple[float, ...]
    line: int
    comment: str = ""


class Controller(Struct):
    """The state between blocks: beam at x, y (mm), tips at z, heads turned (degrees), the head at work, inches or mm,
    the feed (mm/min), the tool asked for, and which move was last.
    """

    machine: Machine
    x: float = 0.0
    y: float = 0.0
    z: float = 0.0
    turns: list[float] = []
    head: int = 0
    inch: bool = False
    relative: bool = False
    motion: float | None = None
    feed: float = 0.0
    tool: int | None = None

    def __post_init__(self) -> None:
        self.x, self.y = self.machine.park
        self.z = self.machine.top_z
        self.turns = [0.0] * len(self.machine.heads)

    def obey(self, block: Block) -> Iterator[Step]:
        """What a block makes the machine do. Raises `BadBlock`."""
        for letter, value in block.words:
            if letter not in _LETTERS:
                raise BadBlock(f"word {letter} is not of this dialect")
            if not abs(value) < LARGEST:
                raise BadBlock(f"{letter}{value:g} is too large")
        self._modes(block)
        if (tool := block.value("T")) is not None:
            if tool != int(tool) or not 0 <= tool <= len(self.machine.nozzles):
                raise BadBlock(f"T{tool:g}: nozzles count from 1 to {len(self.machine.nozzles)}, 0 is none")
            self.tool = int(tool)
        if 4.0 in block.codes("G"):
            yield self._dwell(block)
        elif self._moves(block):
            yield self._move(block)
        for code in block.codes("M"):
            yield from self._function(code, block)

    def _modes(self, block: Block) -> None:
        for code in block.codes("G"):
            if code in (0.0, 1.0):
                self.motion = code
            elif code == 43.0:
                self.head = self._head(block.value("H"), "H")
            elif code in (20.0, 21.0):
                self.inch = code == 20.0
            elif code in (90.0, 91.0):
                self.relative = code == 91.0
            elif code != 4.0 and code not in _QUIET_G:
                raise BadBlock(f"G{code:g} is not of this dialect")
        if (feed := block.value("F")) is not None:
            if feed <= 0:
                raise BadBlock(f"a feed is above nothing, not F{feed:g}")
            self.feed = feed * (25.4 if self.inch else 1.0)

    def _head(self, number: float | None, letter: str) -> int:
        if number is None or number != int(number) or not 1 <= number <= len(self.machine.heads):
            found = "nothing" if number is None else f"{letter}{number:g}"
            raise BadBlock(f"{letter} names a head from 1 to {len(self.machine.heads)}, not {found}")
        return int(number) - 1

    def _moves(self, block: Block) -> bool:
        return any(letter in "XYZ" + AXES for letter, _ in block.words)

    def _dwell(self, block: Block) -> Step:
        seconds = block.value("P")
        if seconds is None or not 0 <= seconds <= MOST_DWELL_S:
            raise BadBlock(f"G4 waits P0 to P{MOST_DWELL_S:g} s")
        return self._step(Doing.DWELL, seconds, -1, block)

    def _move(self, block: Block) -> Step:
        if self.motion is None:
            raise BadBlock("a place without G0 or G1 before it")
        unit = 25.4 if self.inch else 1.0
        hung = self.machine.heads[self.head]
        dx, dy = hung.dx, hung.dy
        now = {"X": self.x + dx, "Y": self.y + dy, "Z": self.z}
        to = dict(now)
        for letter in "XYZ":
            if (value := block.value(letter)) is not None:
                to[letter] = value * unit + (now[letter] if self.relative else 0.0)
        self._inside(to)
        turns = list(self.turns)
        for k, letter in enumerate(AXES):
            if (value := block.value(letter)) is not None:
                if k >= len(turns):
                    raise BadBlock(f"{letter} turns head {k + 1}, and there are {len(turns)}")
                turns[k] = value + (turns[k] if self.relative else 0.0)
        seconds = self._duration(
            {k: to[k] - now[k] for k in now}, [b - a for a, b in zip(self.turns, turns, strict=True)]
        )
        self.x, self.y, self.z, self.turns = to["X"] - dx, to["Y"] - dy, to["Z"], turns
        return self._step(Doing.MOVE, seconds, -1, block)

    def _inside(self, to: dict[str, float]) -> None:
        """A tip stays over the bed, under the top and out of the board. Raises `BadBlock`."""
        m = self.machine
        ranges = {
            "X": (0.0, m.width),
            "Y": (0.0, m.depth),
            "Z": (min(m.board_z, m.pick_z) - DEEPEST_MM, m.top_z),
        }
        for letter, (low, high) in ranges.items():
            if not low - SLACK_MM <= to[letter] <= high + SLACK_MM:
                raise BadBlock(f"{letter}{to[letter]:g} is outside what the machine reaches, {low:g} to {high:g}")

    def _duration(self, ways: dict[str, float], turned: list[float]) -> float:
        m = self.machine
        axes = {"X": m.x, "Y": m.y, "Z": m.z}
        if self.motion == 1.0:
            if self.feed <= 0:
                raise BadBlock("G1 without a feed F before it")
            axes = {k: Axis(min(a.speed, self.feed / 60), a.acceleration) for k, a in axes.items()}
        times = [axis_seconds(ways[k], axes[k]) for k in ways]
        return max(*times, *(axis_seconds(t, m.turn) for t in turned))

    def _function(self, code: float, block: Block) -> Iterator[Step]:
        t = self.machine.times
        if code == 6.0:
            if self.tool is None:
                raise BadBlock("M6 without T before it")
            yield self._step(Doing.CHANGE, t.change, self.tool - 1, block)
        elif code == 61.0:
            given = block.value("Q")
            if given is None or given != int(given) or not 1 <= given <= len(self.machine.nozzles):
                raise BadBlock(f"M61 Q names a nozzle from 1 to {len(self.machine.nozzles)}")
            yield self._step(Doing.GIVEN, 0.0, int(given) - 1, block)
        elif code in (64.0, 65.0, 101.0):
            head = self._head(block.value("P"), "P")
            doing = {64.0: Doing.HOLD, 65.0: Doing.LET_GO, 101.0: Doing.LOOK}[code]
            yield self._step(doing, 0.0, head, block)
        elif code == 102.0:
            slot = block.value("P")
            if slot is None or slot != int(slot) or not 1 <= slot <= len(self.machine.slots):
                raise BadBlock(f"M102 P names a slot from 1 to {len(self.machine.slots)}")
            yield self._step(Doing.FEED, 0.0, int(slot) - 1, block)
        elif code in (0.0, 1.0, 60.0):
            yield self._step(Doing.WAIT, 0.0, -1, block)
        elif code in (2.0, 30.0):
            yield self._step(Doing.END, 0.0, -1, block)
        elif code not in (5.0, 9.0):
            raise BadBlock(f"M{code:g} is not of this dialect")

    def _step(self, doing: Doing, seconds: float, item: int, block: Block) -> Step:
        turns = tuple(self.turns)
        return Step(doing, seconds, item, self.head, self.x, self.y, self.z, turns, block.line, block.comment)
