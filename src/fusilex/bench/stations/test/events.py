"""What happens at Test: readings, samples, power, programmes, functions, and what they came to."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any, ClassVar

import msgspec
from msgspec import Struct, field
from msgspec.structs import replace

from fusilex.bench.state import BatchState
from fusilex.core.evidence import Level
from fusilex.journal.entries import Entry, Event

NO_BEEP = "no beep"
"""What is written of a pair at which a beeper stayed silent."""


class Sample(Struct, frozen=True):
    """A sampling rule the batch goes by: at most so many bad boards may slip through, with so much confidence, when the
    boards drawn are good. `number` is its place among the rules chosen: a finding ends the one it falls under.
    """

    most_bad: int
    confidence: float
    boards: tuple[str, ...]
    at: str


class Powered(msgspec.Struct, frozen=True):
    """A step of a board's first power: the rail, what was read (V, mA), how long (s); well or ended, and why."""

    rail: str
    step: str
    volts: float
    milliamps: float
    seconds: float
    level: str
    said: str = ""
    at: str = ""


class Programmed(msgspec.Struct, frozen=True):
    """What was written into a board: the file by its digest, its version, the serial it got; by a command or by hand;
    how it ended, and the end of what was printed.
    """

    name: str
    sha256: str
    version: str
    serial: str
    how: str
    ended: str
    output: str = ""
    at: str = ""


class Functioned(msgspec.Struct, frozen=True):
    """One test of a list: what was read or answered, within which limits, and how it ended."""

    test: str
    level: str
    value: float | None = None
    unit: str = ""
    low: float | None = None
    high: float | None = None
    uncertainty: float = 0.0
    note: str = ""
    fixture: str = ""
    at: str = ""


class Testing(msgspec.Struct):
    """What Test keeps beside readings: minutes a board (None: all there is), the sampling rule, and by board what was
    waived (pair: reason), powered, programmed, and done of the test list. `taken` are tests of all boards in the order
    they were done, the golden one among them; `bad` the boards on which a pair was bad, `findings` when anything was.
    """

    minutes: float | None = None
    sample: Sample | None = None
    waived: dict[str, dict[str, str]] = field(default_factory=dict)
    powered: dict[str, list[Powered]] = field(default_factory=dict)
    programmed: dict[str, list[Programmed]] = field(default_factory=dict)
    functions: dict[str, dict[str, Functioned]] = field(default_factory=dict)
    taken: list[tuple[str, Functioned]] = field(default_factory=list)
    bad: dict[str, set[str]] = field(default_factory=dict)
    findings: list[tuple[str, str]] = field(default_factory=list)


class ReadingTaken(Event, frozen=True):
    """The meter between two pads; no `ohm` is an open circuit. `bad` where it said that the board is."""

    kind: ClassVar[str] = "reading_taken"
    about: ClassVar[str] = "board"
    board: str
    pair: str
    ohm: float | None
    text: str
    bad: bool = False

    def apply(self, state: BatchState, entry: Entry) -> None:
        board, pair, testing = self.board, self.pair, state[Testing]
        state.boards[board].readings[pair] = (math.inf if self.ohm is None else self.ohm, self.text)
        if board in testing.waived:
            testing.waived[board].pop(pair, None)
        if self.bad:
            testing.findings.append((entry.at, board))
            testing.bad.setdefault(pair, set()).add(board)

    @property
    def words(self) -> str:
        return f"the reading {self.text} at {self.pair} of {self.board}"


class PortSilent(Event, frozen=True):
    """A tip walked over a port, the other one parked, and nothing beeped: `ohm` is up to where the beeper sounds."""

    kind: ClassVar[str] = "port_silent"
    about: ClassVar[str] = "board"
    board: str
    pairs: list[str]
    ohm: float

    def apply(self, state: BatchState, entry: Entry) -> None:
        for pair in self.pairs:
            state.boards[self.board].readings[pair] = (self.ohm, NO_BEEP)
            state[Testing].waived.get(self.board, {}).pop(pair, None)

    @property
    def words(self) -> str:
        pairs = f"{len(self.pairs)} pairs" if len(self.pairs) > 1 else self.pairs[0]
        return f"{pairs} of {self.board} without a beep"


class ReadingWaived(Event, frozen=True):
    """A pair is not read on a board, for a reason."""

    kind: ClassVar[str] = "reading_waived"
    about: ClassVar[str] = "board"
    board: str
    pair: str
    reason: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Testing].waived.setdefault(self.board, {})[self.pair] = self.reason

    @property
    def words(self) -> str:
        return f"leaving {self.pair} of {self.board} unread"


class MinutesSet(Event, frozen=True):
    """So many minutes are there for the readings of a board; None for all that the plan has."""

    kind: ClassVar[str] = "minutes_set"
    minutes: float | None

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Testing].minutes = self.minutes

    @property
    def words(self) -> str:
        return "the time for readings"


class SampleDrawn(Event, frozen=True):
    """Boards were drawn to be tested in full; no boards: every board is."""

    kind: ClassVar[str] = "sample_drawn"
    most_bad: int
    confidence: float
    drawn: list[str]

    def apply(self, state: BatchState, entry: Entry) -> None:
        drawn = tuple(self.drawn)
        state[Testing].sample = Sample(self.most_bad, self.confidence, drawn, entry.at) if drawn else None

    @property
    def words(self) -> str:
        return "the choice of boards to test in full"


class BoardPowered(Event, frozen=True):
    """A step of power was held, or ended early."""

    kind: ClassVar[str] = "board_powered"
    about: ClassVar[str] = "board"
    board: str
    held: Powered

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Testing].powered.setdefault(self.board, []).append(replace(self.held, at=entry.at))

    @property
    def words(self) -> str:
        return f"power on {self.held.rail} of {self.board}"


class BoardProgrammed(Event, frozen=True):
    """A file was written into a board, or the attempt failed."""

    kind: ClassVar[str] = "board_programmed"
    about: ClassVar[str] = "board"
    board: str
    written: Programmed

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Testing].programmed.setdefault(self.board, []).append(replace(self.written, at=entry.at))

    @property
    def words(self) -> str:
        return f"programming {self.board}"


class FunctionTested(Event, frozen=True):
    """A test of the list was done on a board, or on the golden one."""

    kind: ClassVar[str] = "function_tested"
    about: ClassVar[str] = "board"
    board: str
    done: Functioned

    def apply(self, state: BatchState, entry: Entry) -> None:
        one = replace(self.done, at=entry.at)
        state[Testing].functions.setdefault(self.board, {})[one.test] = one
        state[Testing].taken.append((self.board, one))
        if one.level == Level.STOP.value and self.board in state.boards:
            state[Testing].findings.append((entry.at, self.board))

    @property
    def words(self) -> str:
        return f"{self.done.test} of {self.board}"


class BoardTested(Event, frozen=True):
    """A board passed its test, or failed it: `left` are the pairs nobody read and `risk` what that leaves, `tag` what
    was seen, for the repair desk.
    """

    kind: ClassVar[str] = "board_tested"
    about: ClassVar[str] = "board"
    board: str
    passed: bool
    note: str = ""
    tag: str = ""
    left: Sequence[str] = ()
    risk: str = ""

    def apply(self, state: BatchState, entry: Entry) -> None:
        done: dict[str, Any] = {"board": self.board, "passed": self.passed, "note": self.note, "at": entry.at}
        extra = {"tag": self.tag, "left": list(self.left), "risk": self.risk}
        done |= {name: value for name, value in extra.items() if value}
        state.boards[self.board].tests.append(done)

    @property
    def words(self) -> str:
        return f"{'passing' if self.passed else 'failing'} {self.board}"


EVENTS = (
    ReadingTaken,
    PortSilent,
    ReadingWaived,
    MinutesSet,
    SampleDrawn,
    BoardPowered,
    BoardProgrammed,
    FunctionTested,
    BoardTested,
)
SLICES = (Testing,)
