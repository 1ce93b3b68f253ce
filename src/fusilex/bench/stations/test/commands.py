"""A board passes its test or fails it; and every command of Test."""

from __future__ import annotations

from typing import ClassVar

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.command import Command, Result
from fusilex.bench.common.events import Moved
from fusilex.bench.common.faults import FaultMarked, to_repair
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.test.events import BoardTested
from fusilex.bench.stations.test.functions import COMMANDS as FUNCTIONS
from fusilex.bench.stations.test.functions import instrument_doubt, standing, tests_for
from fusilex.bench.stations.test.judging import missing, risk_of
from fusilex.bench.stations.test.planning import due, is_sampled, level_of, unread
from fusilex.bench.stations.test.power import COMMANDS as POWER
from fusilex.bench.stations.test.power import held
from fusilex.bench.stations.test.probing import COMMANDS as PROBING
from fusilex.bench.stations.test.programming import COMMANDS as PROGRAMMING
from fusilex.bench.stations.test.verdicts import suspects
from fusilex.core.electrical.probes import nets_known
from fusilex.core.evidence import Level
from fusilex.core.route.steps import ASIDE
from fusilex.journal.entries import Event

MOST_TAG = 400


def doubt(batch: Batch, board: Board) -> str:
    """Why what was measured cannot pass a board, '' when it can: it then needs a note of how it was tested."""
    if not nets_known(batch.design):
        return "No file names nets, so nothing here was measured"
    plan = batch.as_built(board).plan
    if not plan:
        return "No two pads stand close enough to probe, so nothing here was measured"
    open_ = [p for p in due(batch, board) if level_of(batch, board, p) is Level.UNKNOWN]
    if open_:
        return f"The reading of {open_[0].key} cannot be judged"
    done = standing(batch, board.serial, tests_for(batch, board))
    untold = [name for name, one in done.items() if one.level == Level.UNKNOWN.value]
    if untold:
        return f"{untold[0]} cannot be judged"
    if doubted := instrument_doubt(batch):
        return f"{next(iter(doubted))}: the instrument is to be proved with the golden board first"
    lacking = missing(batch, board)
    return f"Its {' and '.join(lacking)} {'is' if len(lacking) == 1 else 'are'} not on record" if lacking else ""


class TestBoard(Command, frozen=True):
    """A board passes, with a note where what was measured cannot tell, or fails and goes to Rework with a tag of what
    was seen.
    """

    board: str
    passed: bool
    note: str = ""
    tag: str = ""
    cautions: ClassVar[str] = "Test"

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Test")
        note = self.note.strip()
        if self.passed:
            self._check_pass(batch, board)
            left = [p.key for p in unread(batch, board)]
            risk = risk_of(batch, board).headline if is_sampled(batch, board) else ""
            return Result([BoardTested(board.serial, True, note, "", left, risk), *batch.onward([board])])
        found = suspects(batch, board)
        if not found and not to_repair(batch, board) and not self._failed(batch, board):
            raise Refused(
                "No reading is short and no fault is marked: mark what you saw on its part first, then fail the board."
            )
        known = {(f.place, f.word) for f in board.open_faults}
        fresh = [s for s in found if (f"{s.ref}.{s.pin}" if s.pin else s.ref, s.word) not in known]
        if not fresh and not to_repair(batch, board):
            raise Refused("Mark the part you suspect first (W): Rework begins there.")
        marked: list[Event] = [FaultMarked(board.serial, s.ref, s.word, "Test", s.pin) for s in fresh]
        tested = BoardTested(board.serial, False, note, self.tag.strip()[:MOST_TAG])
        return Result([tested, *marked, Moved([board.serial], batch.steps.at_station(ASIDE)[0].id)])

    @staticmethod
    def _failed(batch: Batch, board: Board) -> bool:
        """A function, or the first power, failed. Raises `Refused` where the instrument comes first."""
        done = standing(batch, board.serial, tests_for(batch, board))
        bad = [name for name, one in done.items() if one.level == Level.STOP.value]
        doubted = instrument_doubt(batch)
        if bad and all(name in doubted for name in bad):
            raise Refused(f"{bad[0]}: the instrument first, {doubted[bad[0]]}. Measure the golden board (G).")
        return bool(bad) or any(p.level == Level.STOP.value for p in held(batch, board)[-1:])

    def _check_pass(self, batch: Batch, board: Board) -> None:
        """A board passes on what was measured, or on a note; open stops are the gate's. Raises `Refused`."""
        left = unread(batch, board)
        if left and not self.note.strip():
            pairs = "1 pair" if len(left) == 1 else f"{len(left)} pairs"
            verb = "is" if len(left) == 1 else "are"
            raise Refused(f"{pairs} of board {board.serial} {verb} not read yet.")
        if (why := doubt(batch, board)) and not self.note.strip():
            raise Refused(f"{why}: say in a note how the board was tested.")


COMMANDS = (*PROBING, *POWER, *PROGRAMMING, *FUNCTIONS, TestBoard)
