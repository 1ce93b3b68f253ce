"""Commands that work at every station."""

from __future__ import annotations

from fusilex.bench.batch import Batch, texts_of
from fusilex.bench.command import Command, Result
from fusilex.bench.common.events import CautionsRead, JudgementOverruled, Went
from fusilex.bench.refusal import Refused
from fusilex.core.judgement import Level


class GoTo(Command, frozen=True):
    """Look at a station and board; never undone."""

    station: str
    board: str

    def decide(self, batch: Batch) -> Result:
        if self.station not in batch.names or self.board not in batch.state.boards:
            raise Refused(f"There is no {self.station} with board {self.board}.")
        if (self.station, self.board) == (batch.state.station, batch.state.board):
            return Result()
        return Result([Went(self.station, self.board)])


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
    headline: str = ""

    def decide(self, batch: Batch) -> Result:
        if not self.reason.strip():
            raise Refused("Say why: an overruling without a reason helps nobody later.")
        judged = (j for station in batch.stations for j in station.judge(batch) if j.key == self.key)
        found = next(judged, None)
        if found is None or found.level is Level.GO:
            raise Refused(f"Nothing stands against board {batch.board.serial} there: there is nothing to overrule.")
        if self.headline not in ("", found.headline):
            raise Refused(f"It says something else by now: {found.headline}. Read it again first.")
        happened = JudgementOverruled(
            self.key, self.reason.strip(), found.headline, batch.state.station, found.level.value, batch.board.serial
        )
        return Result([happened])


class Undo(Command, frozen=True):
    """The last thing done here, or anywhere when nothing says where, is taken back."""


class Redo(Command, frozen=True):
    """What was taken back last is done again."""


COMMANDS = (GoTo, Acknowledge, Overrule, Undo, Redo)
