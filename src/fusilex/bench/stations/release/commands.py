"""Commands of Release."""

from __future__ import annotations

import math
from typing import ClassVar

from fusilex.bench.batch import Batch
from fusilex.bench.command import Command, Result
from fusilex.bench.common.events import Moved
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.release.events import (
    SEPARATE,
    STEPS,
    BoardPrepared,
    BoardReleased,
    BoardSeparated,
    BoardsPacked,
    BoardWeighed,
    CoatingChosen,
    CutDone,
    Leaving,
)
from fusilex.bench.stations.release.getting_ready import cuts_of, next_cut
from fusilex.bench.workshop.finished import FinishedLeft, StockedFinished
from fusilex.core.route.steps import DONE

WHOLE = ("Ready", "Make", "Kit", "Print", "Place", "Reflow")
"""Stations that handle panels: no board of a panel is cut out before all are through these."""
HEAVIEST_G = 100_000.0
MOST_NAME = 80


class TickCut(Command, frozen=True):
    """A cut of a panel is done; `cut` counts from 1, in the plan's order."""

    panel: int
    cut: int
    cautions: ClassVar[str] = "Release"

    def decide(self, batch: Batch) -> Result:
        boards = [b for b in batch.state.panel_boards(self.panel) if not b.scrapped]
        if not any(b.station == "Release" for b in boards):
            raise Refused(f"No board of panel {self.panel} is at Release.")
        following = next_cut(batch, self.panel)
        if following is None:
            raise Refused(f"Panel {self.panel} has no cut left.")
        if self.cut != following:
            raise Refused(f"Cut {following} of panel {self.panel} comes before cut {self.cut}.")
        behind = [b for b in boards if b.station in WHOLE]
        if behind:
            where = f"board {behind[0].serial} is at {batch.where(behind[0])}"
            raise Refused(f"Panel {self.panel} stays whole until all its boards are through the oven: {where}.")
        return Result([CutDone(self.panel, self.cut, cuts_of(batch).strokes[self.cut - 1].tool)])


class ChooseCoating(Command, frozen=True):
    """The batch is coated, or it stays bare."""

    coated: bool

    def decide(self, batch: Batch) -> Result:
        return Result([CoatingChosen(self.coated)])


class PrepareBoard(Command, frozen=True):
    """A step of getting a board ready is done: cleaned, looked at, coated, labelled, bagged."""

    board: str
    what: str
    note: str = ""
    cautions: ClassVar[str] = "Release"

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Release")
        if self.what not in STEPS:
            raise Refused(f"“{self.what}” is none of {', '.join(STEPS)}.")
        return Result([BoardPrepared(board.serial, self.what, self.note.strip())])


class WeighBoard(Command, frozen=True):
    """A finished board is weighed, in grams."""

    board: str
    grams: float
    cautions: ClassVar[str] = "Release"

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Release")
        if not 0 < self.grams <= HEAVIEST_G or math.isnan(self.grams):
            raise Refused(f"A board weighs more than nothing and at most {HEAVIEST_G:g} g.")
        return Result([BoardWeighed(board.serial, self.grams)])


class ReleaseBoard(Command, frozen=True):
    """A board goes out on its record, or on reasons: the gate sees to that; it is counted into the finished stock. At a
    step that separates it comes out of its panel and goes on.
    """

    board: str
    cautions: ClassVar[str] = "Release"

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Release")
        if batch.steps.by_id[board.step].method == SEPARATE:
            return Result([BoardSeparated(board.serial), *batch.onward([board])])
        stocked = StockedFinished(str(batch.state.opened["design"]), board.serial)
        return Result([BoardReleased(board.serial), Moved([board.serial], DONE)], [stocked])


class PackBoards(Command, frozen=True):
    """Released boards go into a parcel, and out of the finished stock."""

    boards: tuple[str, ...]
    parcel: str

    def decide(self, batch: Batch) -> Result:
        name = self.parcel.strip()
        if not 0 < len(name) <= MOST_NAME:
            raise Refused("Say which parcel: a name or an order.")
        if not self.boards:
            raise Refused("No released board is left to pack.")
        packed = batch.state[Leaving].parcels
        for serial in self.boards:
            board = batch.state.boards.get(serial)
            if board is None or board.released_at is None:
                raise Refused(f"Board {serial} is not released: it is not packed.")
            if serial in packed:
                raise Refused(f"Board {serial} is in the parcel {packed[serial]} already.")
        design = str(batch.state.opened["design"])
        return Result([BoardsPacked(list(self.boards), name)], [FinishedLeft(design, list(self.boards), name)])


COMMANDS = (TickCut, ChooseCoating, PrepareBoard, WeighBoard, ReleaseBoard, PackBoards)
