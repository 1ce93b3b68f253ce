"""Pieces and the bins they come from: filled at Kit, emptied at Place, Hand and Rework, counted once each for this
shop's losses.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import ClassVar

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board, Put
from fusilex.bench.command import Command, Result
from fusilex.bench.common.bins import Bins, OfBins
from fusilex.bench.refusal import Refused
from fusilex.bench.state import BatchState
from fusilex.bench.workshop.losses import PieceLost, PiecesPlaced
from fusilex.core.kit.losses import loss_key
from fusilex.journal.entries import Entry, Event

REPLACED_WORDS = ("missing", "wrong part", "cracked", "burnt")
"""Faults that are repaired with another piece: the first one is lost."""


class PartDropped(OfBins, frozen=True):
    """A piece was lost on its way."""

    kind: ClassVar[str] = "part_dropped"
    about: ClassVar[str] = "board"
    board: str
    ref: str
    line: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        dropped = state[Bins].dropped
        dropped[self.line] = dropped.get(self.line, 0) + 1

    @property
    def words(self) -> str:
        return f"the loss of a piece for {self.ref}"


class PiecesCounted(Event, frozen=True):
    """Pieces of a board went into the workshop's counts."""

    kind: ClassVar[str] = "pieces_counted"
    about: ClassVar[str] = "board"
    board: str
    refs: list[str]

    def apply(self, state: BatchState, entry: Entry) -> None:
        state.boards[self.board].counted.update(self.refs)


class PiecesUncounted(Event, frozen=True):
    """A counted piece came off its board (older journals; it is undone now)."""

    kind: ClassVar[str] = "pieces_uncounted"
    about: ClassVar[str] = "board"
    board: str
    refs: list[str]

    def apply(self, state: BatchState, entry: Entry) -> None:
        state.boards[self.board].counted.difference_update(self.refs)


class PartReplaced(OfBins, frozen=True):
    """A repair took another piece."""

    kind: ClassVar[str] = "part_replaced"
    about: ClassVar[str] = "board"
    board: str
    ref: str
    line: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        replaced = state[Bins].replaced
        replaced[self.line] = replaced.get(self.line, 0) + 1
        state.boards[self.board].put[self.ref] = Put(entry.at, entry.who, self.line)


class DropPart(Command, frozen=True):
    """A piece of the part's bin was lost."""

    board: str
    ref: str
    cautions: ClassVar[str] = "Place"

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board)
        if board.station not in ("Place", "Hand", "Rework"):
            raise Refused(f"Board {board.serial} is at {batch.where(board)}: nothing is placed there.")
        line = batch.lines_of(board).get(self.ref)
        if line is None:
            raise Refused(f"{self.ref} comes from no bin.")
        dropped = PartDropped(board.serial, self.ref, line.key)
        return Result([dropped], [PieceLost(loss_key(line.package))])


def pieces_counted(batch: Batch, board: Board, refs: Sequence[str]) -> Result:
    """The pieces of a board that were not counted yet, however often they were taken off and put back since."""
    fresh = [ref for ref in refs if ref not in board.counted]
    if not fresh:
        return Result()
    counts = Counter(loss_key(batch.built(board)[ref].package) for ref in fresh)
    return Result([PiecesCounted(board.serial, fresh)], [PiecesPlaced(dict(counts))])


def piece_replaced(batch: Batch, board: Board, ref: str, word: str) -> Result:
    """What a repair takes out of a bin: nothing, or another piece in the place of one that is lost."""
    line = batch.lines_of(board).get(ref)
    if word not in REPLACED_WORDS or line is None:
        return Result()
    counted = pieces_counted(batch, board, [ref])
    replaced = PartReplaced(board.serial, ref, line.key)
    return Result([*counted.events, replaced], [*counted.workshop, PieceLost(loss_key(line.package))])


EVENTS = (PartDropped, PiecesCounted, PiecesUncounted, PartReplaced)
COMMANDS = (DropPart,)
