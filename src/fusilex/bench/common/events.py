"""Events that belong to no station alone."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, ClassVar

import msgspec

from fusilex.bench.boards import Board, SentBack, laid_out
from fusilex.bench.state import BatchState, Overruled
from fusilex.core.judgement import Facts
from fusilex.core.panel.layout import Panel
from fusilex.core.route.steps import ASIDE, station_of
from fusilex.journal.entries import Entry, Event

RENAMED_RULES = {
    "ready.turns": "ready.rotations",
    "ready.turn": "ready.rotation",
    "ready.fit": "ready.populate",
    "ready.body": "ready.package",
    "inspect.heat": "inspect.doubt",
}
"""Rules by the names older versions gave them: overrulings hang on these."""


class BoardCell(msgspec.Struct, frozen=True):
    """A board and where it sits."""

    serial: str
    panel: int
    cell: int


def places(serials: Sequence[str], panel: Panel | None) -> list[BoardCell]:
    """Panel and cell of each board in turn, cells that carry none passed over."""
    return [BoardCell(*row) for row in laid_out(serials, panel.cells if panel else [0])]


class BatchOpened(Event, frozen=True):
    """A batch was started from a design's files."""

    kind: ClassVar[str] = "batch_opened"
    about: ClassVar[str] = "boards"
    undoable: ClassVar[bool] = False
    design: str
    boards: list[BoardCell]
    batch: int = 1
    files: str = ""
    paste: str = "leaded"
    foil_mm: float = 0.12
    losses: dict[str, list[int]] = {}

    def apply(self, state: BatchState, entry: Entry) -> None:
        state.opened = {**msgspec.to_builtins(self), "at": entry.at}
        state.boards = {p.serial: Board(p.serial, p.panel, p.cell) for p in self.boards}
        state.eyes = ("Ready", next(iter(state.boards), ""), entry.id)
        state.paste, state.foil_mm = self.paste, self.foil_mm

    def claims(self) -> list[tuple[str, str]]:
        return [("batch", str(self.batch)), *(("board", place.serial) for place in self.boards)]


class Went(Event, frozen=True):
    """Eyes turned to another station or board (older journals; that belongs to each window now)."""

    kind: ClassVar[str] = "went"
    about: ClassVar[str] = "board"
    undoable: ClassVar[bool] = False
    station: str
    board: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state.eyes = self.station, self.board, entry.id


class Moved(Event, frozen=True):
    """Boards go to another step; `passed` are those on the way that had no work for them."""

    kind: ClassVar[str] = "moved"
    about: ClassVar[str] = "boards"
    boards: list[str]
    to: str
    passed: list[str] = []

    def apply(self, state: BatchState, entry: Entry) -> None:
        for serial in self.boards:
            board = state.boards[serial]
            if station_of(self.to) == ASIDE:
                board.came_from = board.step
            board.step = self.to
            board.passed += [step for step in self.passed if step not in board.passed]

    @property
    def words(self) -> str:
        return ""


class CautionsRead(Event, frozen=True):
    """The cautions of a station, or of a bath or bare boards, were read."""

    kind: ClassVar[str] = "caution_acknowledged"
    station: str
    cautions: list[str] = []

    def apply(self, state: BatchState, entry: Entry) -> None:
        state.cautions[self.station] = entry.at

    @property
    def words(self) -> str:
        return f"reading the cautions of {self.station}"


class JudgementOverruled(Event, frozen=True):
    """A judgement was set aside with a reason: what it was about, and for people what it said. Older journals have the
    sentence alone.
    """

    kind: ClassVar[str] = "judgement_overruled"
    about: ClassVar[str] = "board"
    refers: ClassVar[tuple[str, ...]] = ("key",)
    key: str
    reason: str
    headline: str = ""
    station: str = ""
    level: str = ""
    board: str = ""
    facts: dict[str, Any] = {}

    @classmethod
    def upcast(cls, body: dict[str, Any]) -> dict[str, Any]:
        rule, _, subject = str(body["key"]).partition(":")
        if rule == "rework.queue" and subject != "queue":  # a fault, named by its board
            rule = "inspect.fault"
        return {**body, "key": f"{RENAMED_RULES.get(rule, rule)}:{subject}"}

    @classmethod
    def renumbered(cls, body: dict[str, Any], numbers: Mapping[int, int]) -> dict[str, Any]:
        """The key of a fault, or of a task for the hands, ends in the number of its entry."""
        before, _, number = str(body["key"]).rpartition(" ")
        if not before.startswith(("inspect.fault:", "rework.queue:", "hand.task:")) or not number.isdecimal():
            return body
        return {**body, "key": f"{before} {numbers.get(int(number), 0)}"}

    def apply(self, state: BatchState, entry: Entry) -> None:
        facts = msgspec.convert(self.facts, Facts) if self.facts else None
        told = (self.headline, self.station, self.level, entry.who, facts)
        state.overruled[self.key] = Overruled(self.reason, entry.at, *told)

    @property
    def words(self) -> str:
        return f"overruling “{self.headline or self.key}”"


class StepPassed(Event, frozen=True):
    """There was nothing to do at a step for a board."""

    kind: ClassVar[str] = "step_passed"
    about: ClassVar[str] = "board"
    board: str
    step: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        if self.step not in state.boards[self.board].passed:
            state.boards[self.board].passed.append(self.step)

    @property
    def words(self) -> str:
        return f"sending {self.board} on"


class BoardSentBack(Event, frozen=True):
    """A board goes back to a step, or comes back from its user."""

    kind: ClassVar[str] = "board_sent_back"
    about: ClassVar[str] = "board"
    board: str
    start: str
    to: str
    reason: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        board = state.boards[self.board]
        board.sent_back.append(SentBack(entry.at, self.start, self.to, self.reason))
        board.released_at = None

    @property
    def words(self) -> str:
        return f"sending {self.board} back"


class ReadingsCleared(Event, frozen=True):
    """A board was repaired: what the meter said before of what it touched counts no more. No `refs`, as in older
    journals: all of it may have been touched.
    """

    kind: ClassVar[str] = "readings_cleared"
    about: ClassVar[str] = "board"
    board: str
    pairs: list[str] = []
    refs: list[str] = []

    def apply(self, state: BatchState, entry: Entry) -> None:
        board = state.boards[self.board]
        for pair in self.pairs if self.refs else list(board.readings):
            board.readings.pop(pair, None)
        board.mended.append((entry.at, tuple(self.refs)))


EVENTS = (BatchOpened, Went, Moved, CautionsRead, JudgementOverruled, StepPassed, BoardSentBack, ReadingsCleared)
