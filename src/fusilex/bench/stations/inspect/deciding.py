"""What becomes of a marked fault at Inspect: within the shop's limit it is accepted, a joint in reach is touched up."""

from __future__ import annotations

from typing import ClassVar

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board, Fault
from fusilex.bench.command import Command, Result
from fusilex.bench.common.heat.heat_limits import most_reflow_cycles
from fusilex.bench.refusal import Refused
from fusilex.bench.state import BatchState
from fusilex.bench.stations.inspect.touring import BEFORE
from fusilex.bench.workshop.record_kinds import Limits, Workmanship
from fusilex.bench.workshop.records import Records
from fusilex.core.inspection.faults import FAULT_WORDS, JOINT
from fusilex.core.inspection.severity import Advice, Grades, advise, within
from fusilex.journal.entries import Entry, Event


class FaultAccepted(Event, frozen=True):
    """A fault was measured and lies within the shop's limit: it counts as none."""

    kind: ClassVar[str] = "fault_accepted"
    about: ClassVar[str] = "board"
    refers: ClassVar[tuple[str, ...]] = ("fault",)
    board: str
    fault: int
    why: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        for fault in state.boards[self.board].faults:
            if fault.id == self.fault:
                fault.accepted = self.why

    @property
    def words(self) -> str:
        return f"what was accepted on {self.board}"


class FaultTouchedUp(Event, frozen=True):
    """A joint was touched up with the iron where it was seen; on `wet` paste a part was put right by tweezers."""

    kind: ClassVar[str] = "fault_touched_up"
    about: ClassVar[str] = "board"
    refers: ClassVar[tuple[str, ...]] = ("fault",)
    board: str
    fault: int
    wet: bool = False

    def apply(self, state: BatchState, entry: Entry) -> None:
        board = state.boards[self.board]
        for fault in board.faults:
            if fault.id == self.fault:
                fault.repaired, fault.result = entry.at, "put right" if self.wet else "touched up"
                if not self.wet:
                    board.heat([fault.ref])

    @property
    def words(self) -> str:
        return f"a touch-up on {self.board}"


def grades_of(batch: Batch) -> tuple[str, Grades]:
    """The class of workmanship this shop goes by, and its limits."""
    records = batch.workshop[Records]
    name = records.first(Limits).workmanship
    found = records.all(Workmanship).get(name) or Workmanship(id=name)
    return name, found.grades


def advice(batch: Batch, board: Board, fault: Fault) -> Advice:
    """What the shop would do with a fault."""
    if board.step in batch.steps.by_id and batch.steps.by_id[board.step].method == BEFORE:
        return Advice.TOUCH_UP  # on wet paste everything is put right where it lies
    own = batch.as_built(board)
    part = own.by_ref.get(fault.ref)
    hidden = part is not None and part in own.hidden
    spent = board.reflow_cycles.get(fault.ref, 0) >= most_reflow_cycles(batch.workshop)
    return advise(fault.word, hidden, spent)


def _open(board: Board, number: int) -> Fault:
    fault = next((f for f in board.open_faults if f.id == number), None)
    if fault is None:
        raise Refused(f"That fault of board {board.serial} is not open.")
    return fault


class AcceptFault(Command, frozen=True):
    """A fault was measured: a `share` of 1 (overhang of the land's width, fill of the hole, hollow of the joint)."""

    board: str
    fault: int
    share: float

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Inspect")
        fault = _open(board, self.fault)
        measure = FAULT_WORDS[fault.word].measure if fault.word in FAULT_WORDS else ""
        if not measure:
            raise Refused(
                f"For “{fault.word}” there is no limit to be within: repair it, or overrule it with a reason."
            )
        if not 0 <= self.share <= 1:
            raise Refused("A share runs from 0 to 100 %.")
        name, grades = grades_of(batch)
        limit = grades.limit(measure)
        said = f"{measure} {100 * self.share:.0f} %, {name} workmanship wants {limit.words}"
        if not within(limit, self.share):
            raise Refused(f"{fault.place}: {said}. Touch it up or let it go to Rework.")
        return Result([FaultAccepted(board.serial, fault.id, said)])


class TouchUp(Command, frozen=True):
    """A joint was touched up on the spot; eyes look at it again before the board goes on."""

    board: str
    fault: int
    cautions: ClassVar[str] = "Touch up"

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Inspect")
        fault = _open(board, self.fault)
        wet = batch.steps.by_id[board.step].method == BEFORE
        if not wet and (fault.word not in FAULT_WORDS or FAULT_WORDS[fault.word].of != JOINT):
            raise Refused(f"“{fault.word}” is not touched up: the part comes off, at Rework.")
        if advice(batch, board, fault) is not Advice.TOUCH_UP:
            raise Refused(f"No iron reaches {fault.place}, or it had its heats: that is for Rework.")
        return Result([FaultTouchedUp(board.serial, fault.id, wet)])


CAUTIONS = {
    "Touch up": (
        "The iron burns; fumes need extraction. Leaded wire: wash your hands before you eat.",
        "Parts are sensitive to static: wrist strap on, iron earthed.",
    ),
}
COMMANDS = (AcceptFault, TouchUp)
EVENTS = (FaultAccepted, FaultTouchedUp)
