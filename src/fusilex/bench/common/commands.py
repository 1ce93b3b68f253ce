"""Commands that work at every station."""

from __future__ import annotations

import msgspec

from fusilex.bench.batch import Batch, texts_of
from fusilex.bench.command import Command, Result
from fusilex.bench.common.events import (
    BoardSentBack,
    CautionsRead,
    JudgementOverruled,
    Moved,
    ReadingsCleared,
    StepPassed,
)
from fusilex.bench.refusal import Refused
from fusilex.bench.workshop.finished import FinishedLeft
from fusilex.core.evidence import Level
from fusilex.core.judgement import Facts
from fusilex.core.quantities import METRIC
from fusilex.core.route.steps import ASIDE, DONE, FIRST, WITH_PARTS


class Acknowledge(Command, frozen=True):
    """Cautions were read: a station's, or those of bare boards or a bath."""

    station: str

    def decide(self, batch: Batch) -> Result:
        texts = texts_of(batch, self.station)
        if not texts:
            raise Refused(f"{self.station} has no cautions.")
        return Result([CautionsRead(self.station, list(texts))])


class Overrule(Command, frozen=True):
    """A judgement of the board in hand is set aside, with a reason. It must stand now, and say what was read."""

    key: str
    reason: str
    read: Facts | None = None

    def decide(self, batch: Batch) -> Result:
        if not self.reason.strip():
            raise Refused("Say why: an overruling without a reason helps nobody later.")
        judged = (j for step in batch.steps for j in batch.judged_at(step) if j.key == self.key)
        found = next(judged, None)
        if found is None or found.level is Level.GO:
            raise Refused(f"Nothing stands against board {batch.board.serial} there: there is nothing to overrule.")
        if self.read is not None and not self.read.covers(found):
            raise Refused(f"This check has changed: {found.headline}. Read it before you override it.")
        happened = JudgementOverruled(
            self.key,
            self.reason.strip(),
            found.words(METRIC),
            batch.view.step,
            found.level.value,
            batch.board.serial,
            msgspec.to_builtins(Facts.of(found)),
        )
        return Result([happened])


class Undo(Command, frozen=True):
    """The last thing done here, or anywhere when nothing says where, is taken back."""


class Redo(Command, frozen=True):
    """What was taken back last is done again."""


class PassStep(Command, frozen=True):
    """A board with nothing left to do at its step goes on."""

    board: str

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board)
        if part := batch.next_part(board, board.step):
            raise Refused(f"{part.ref} is not on board {board.serial} yet.")
        step = batch.steps.by_id.get(board.step)
        if step is None or step.station not in WITH_PARTS:
            raise Refused(f"Board {board.serial} is at {batch.where(board)}: that is not passed by.")
        if batch.stations[step.station].work(batch.about(board.serial, step.id), board):
            raise Refused(f"Something is left to do at {batch.where(board)}: see its judgements.")
        return Result([StepPassed(board.serial, board.step), *batch.onward([board])])


class SendBack(Command, frozen=True):
    """A board goes back to an earlier step, with a reason."""

    board: str
    step: str
    reason: str

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board)
        if board.step == DONE:
            raise Refused(f"Board {board.serial} is released: it comes back by its serial, with a reason.")
        if self.step not in batch.steps.by_id:
            raise Refused(f"There is no step {self.step} on this route.")
        to, at = batch.steps.by_id[self.step], batch.steps.progress(board.place)
        if to.station in (ASIDE, *FIRST) or batch.steps.index(to.id) > at or (to.id == board.step):
            where = batch.where(board)
            raise Refused(f"Board {board.serial} is at {where}: it goes back to a step it has been through.")
        if not self.reason.strip():
            raise Refused("Say why it goes back: that stands in its papers.")
        sent = BoardSentBack(board.serial, board.step, to.id, self.reason.strip())
        return Result([sent, ReadingsCleared(board.serial), Moved([board.serial], to.id)])


class TakeBack(Command, frozen=True):
    """A released board has come back: it goes to the repair desk."""

    board: str
    reason: str

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board)
        if board.step != DONE:
            raise Refused(f"Board {board.serial} is at {batch.where(board)}: it never left.")
        if not self.reason.strip():
            raise Refused("Say what its user found.")
        aside = batch.steps.at_station(ASIDE)[0].id
        back = BoardSentBack(board.serial, DONE, aside, self.reason.strip())
        left = FinishedLeft(str(batch.state.opened["design"]), [board.serial], "back on the bench")
        return Result([back, ReadingsCleared(board.serial), Moved([board.serial], aside)], [left])


COMMANDS = (Acknowledge, Overrule, PassStep, SendBack, TakeBack, Undo, Redo)
