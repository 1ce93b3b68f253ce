"""Commands of Test."""

from __future__ import annotations

import math
from typing import ClassVar

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.command import Command, Result
from fusilex.bench.common.events import Moved
from fusilex.bench.common.faults import FaultMarked, to_repair
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.test.events import BoardTested, ReadingTaken
from fusilex.bench.stations.test.judging import shorts
from fusilex.core.electrical.probes import nets_known
from fusilex.core.judgement import Level
from fusilex.core.road.steps import ASIDE
from fusilex.core.values import parse_reading
from fusilex.journal.entries import Event


class TakeReading(Command, frozen=True):
    """What the meter says between the pads of a pair, such as ``2.2M`` or ``OL``."""

    board: str
    pair: str
    text: str
    cautions: ClassVar[str] = "Test"

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Test")
        if self.pair not in [p.key for p in batch.derived.plan]:
            raise Refused(f"{self.pair} is not in the probe plan.")
        try:
            ohm = parse_reading(self.text)
        except ValueError as error:
            raise Refused(f"{error}.") from error
        shown = ohm if math.isfinite(ohm) else None
        return Result([ReadingTaken(board.serial, self.pair, shown, self.text.strip())])


def doubt(batch: Batch, board: Board) -> str:
    """Why readings alone cannot pass a board, '' when they can: it then needs a note of how it was tested."""
    if not nets_known(batch.design):
        return "No file names nets, so nothing here was measured"
    plan = batch.derived.plan
    if not plan:
        return "No two pads stand close enough to probe, so nothing here was measured"
    open_ = [p for p in plan if p.key in board.readings and p.level(board.readings[p.key][0]) is Level.UNKNOWN]
    return f"The reading of {open_[0].key} cannot be judged" if open_ else ""


class TestBoard(Command, frozen=True):
    """A board passes, with a note where readings alone cannot tell, or fails and goes to Rework."""

    board: str
    passed: bool
    note: str = ""
    cautions: ClassVar[str] = "Test"

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Test")
        tested = BoardTested(board.serial, self.passed, self.note.strip())
        if self.passed:
            self._check_pass(batch, board)
            return Result([tested, *batch.onward([board])])
        joined = shorts(batch, board)
        if not joined and not to_repair(batch, board):
            raise Refused(
                "No reading is short and no fault is marked: mark what you saw on its part first, then fail the board."
            )
        marked: list[Event] = [FaultMarked(board.serial, p.a.ref, "bridge", "Test") for p in joined]
        return Result([tested, *marked, Moved([board.serial], batch.steps.at_station(ASIDE)[0].id)])

    def _check_pass(self, batch: Batch, board: Board) -> None:
        """A board passes on readings, or on a note; open stops are the gate's. Raises `Refused`."""
        unread = [p for p in batch.derived.plan if p.key not in board.readings]
        if unread and not self.note.strip():
            pairs = "1 pair" if len(unread) == 1 else f"{len(unread)} pairs"
            verb = "is" if len(unread) == 1 else "are"
            raise Refused(f"{pairs} of board {board.serial} {verb} not read yet.")
        if (why := doubt(batch, board)) and not self.note.strip():
            raise Refused(f"{why}: say in a note how the board was tested.")


COMMANDS = (TakeReading, TestBoard)
