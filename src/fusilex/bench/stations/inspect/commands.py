"""Commands of Inspect beyond marking faults."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.command import Command, Result
from fusilex.bench.common.events import Moved
from fusilex.bench.common.faults import to_repair
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.inspect.deciding import COMMANDS as DECIDING
from fusilex.bench.stations.inspect.events import BoardInspected, FieldSeen, FirstArticleSigned, Looks
from fusilex.bench.stations.inspect.touring import BEFORE, fields_of, unseen
from fusilex.core.route.steps import ASIDE

LOOK_S = 3.0
"""Nobody looks over a board in less, s."""


class InspectBoard(Command, frozen=True):
    """The whole board was looked at, or it is passed without: then `looked` says so."""

    board: str
    looked: bool = True

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Inspect")
        there = batch.about(board.serial, board.step)  # wherever the eyes are by now
        fields, left = fields_of(there), unseen(there, board)
        looked = self.looked or not left
        inspected = BoardInspected(board.serial, looked, board.step, (len(fields) - len(left), len(fields)))
        if to_repair(batch, board):
            return Result([inspected, Moved([board.serial], batch.steps.at_station(ASIDE)[0].id)])
        return Result([inspected, *batch.onward([board])])


class SeeField(Command, frozen=True):
    """A field of the tour was looked through; its `number` counts from 1."""

    board: str
    number: int

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Inspect")
        fields = fields_of(batch.about(board.serial, board.step))
        if not 1 <= self.number <= len(fields):
            raise Refused(f"The tour has {len(fields)} fields, none of the number {self.number}.")
        field = fields[self.number - 1]
        box = tuple(round(v, 4) for v in field.box)
        return Result([FieldSeen(board.serial, board.step, field.side, (box[0], box[1], box[2], box[3]))])


class SignFirstArticle(Command, frozen=True):
    """The first board of a step was checked in full, and is good: signed by who sits at the window."""

    board: str

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Inspect")
        there = batch.about(board.serial, board.step)
        if there.step.method == BEFORE:
            raise Refused("A first article is signed after soldering.")
        if signed := batch.state[Looks].first.get(board.step):
            raise Refused(f"{signed[0]} was signed as first article of this step.")
        if left := unseen(there, board):
            raise Refused(f"{len(left)} fields of {board.serial} were not seen yet: a first article is seen in full.")
        if faults := to_repair(batch, board):
            raise Refused(f"{faults[0].place} is open: a first article is signed when it is good.")
        return Result([FirstArticleSigned(board.serial, board.step)])


COMMANDS = (InspectBoard, SeeField, SignFirstArticle, *DECIDING)
