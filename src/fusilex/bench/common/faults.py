"""Faults: marked at Inspect and at Test, repaired at Rework, accepted by overruling."""

from __future__ import annotations

from typing import ClassVar

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board, Fault
from fusilex.bench.command import Command, Result
from fusilex.bench.refusal import Refused
from fusilex.bench.state import BatchState
from fusilex.core.evidence import Level
from fusilex.core.inspection.faults import FAULT_WORDS, OLDER_WORDS
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say
from fusilex.journal.entries import Entry, Event


class FaultMarked(Event, frozen=True):
    """Eyes or a meter found something."""

    kind: ClassVar[str] = "fault_marked"
    about: ClassVar[str] = "board"
    board: str
    ref: str
    word: str
    station: str
    pin: str = ""

    def apply(self, state: BatchState, entry: Entry) -> None:
        word = OLDER_WORDS.get(self.word, self.word)
        fault = Fault(entry.number, self.ref, word, self.station, entry.at, pin=self.pin)
        state.boards[self.board].faults.append(fault)

    @property
    def words(self) -> str:
        return f"{self.word} at {self.ref}{self.pin and '.'}{self.pin} of {self.board}"


class FaultStruck(Event, frozen=True):
    """A marked fault was a slip of the finger (older journals; it is undone now)."""

    kind: ClassVar[str] = "fault_struck"
    about: ClassVar[str] = "board"
    refers: ClassVar[tuple[str, ...]] = ("fault",)
    board: str
    fault: int

    def apply(self, state: BatchState, entry: Entry) -> None:
        board = state.boards[self.board]
        board.faults = [f for f in board.faults if f.id != self.fault]

    @property
    def words(self) -> str:
        return f"striking a fault of {self.board}"


class MarkFault(Command, frozen=True):
    """What is wrong with a part, or with the joint of a `pin` of it, in a word of the trade."""

    board: str
    ref: str
    word: str
    pin: str = ""

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board)
        if board.station not in ("Inspect", "Test"):
            raise Refused(f"Board {board.serial} is at {batch.where(board)}; faults are marked at Inspect.")
        if self.word not in FAULT_WORDS:
            raise Refused(f"“{self.word}” is no fault word; there are {', '.join(FAULT_WORDS)}.")
        if self.ref not in batch.as_built(board).by_ref:
            raise Refused(f"There is no part {self.ref}.")
        if self.pin and self.pin not in {p.pin for p in batch.as_built(board).by_ref[self.ref].pads}:
            raise Refused(f"{self.ref} has no joint {self.pin}.")
        if any((f.ref, f.pin, f.word) == (self.ref, self.pin, self.word) for f in board.open_faults):
            raise Refused(f"{self.word} at {self.ref}{self.pin and '.'}{self.pin} is marked already.")
        return Result([FaultMarked(board.serial, self.ref, self.word, board.station, self.pin)])


def judge_faults(batch: Batch, board: Board) -> list[Judgement]:
    """A stop for each fault that is open; overruled it is accepted as it is."""
    return [
        Judgement(
            "inspect.fault",
            Level.STOP,
            f"{board.serial} {fault.ref} {fault.id}",
            say("open", place=fault.place, word=fault.word),
            (Quantity("found at", fault.found_at), Quantity("board", board.serial)),
            say("repair here" if board.station == "Rework" else "send to rework"),
            (fault.ref,),
        )
        for fault in board.open_faults
    ]


def to_repair(batch: Batch, board: Board) -> list[Fault]:
    """Open faults that nobody accepted with a reason."""
    stops = judge_faults(batch, board)
    return [f for f, j in zip(board.open_faults, stops, strict=True) if not batch.state.overruling(j)]


EVENTS = (FaultMarked, FaultStruck)
COMMANDS = (MarkFault,)
