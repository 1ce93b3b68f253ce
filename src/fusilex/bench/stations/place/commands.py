"""Commands of Place."""

from __future__ import annotations

from typing import ClassVar

from fusilex.bench.batch import Batch
from fusilex.bench.command import Command, Result
from fusilex.bench.common.commands import SendBack
from fusilex.bench.common.pieces import pieces_counted
from fusilex.bench.common.short_bins import judge_bins
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.place.events import (
    HAND,
    MACHINE,
    PER_BOARD,
    PER_PANEL,
    PanelPlaced,
    PartsPlaced,
    Placing,
    PointForgotten,
    PointHidden,
    PointTaught,
    ReferencesChosen,
    WayChosen,
)
from fusilex.bench.stations.place.machine import place_step, point_at, way_of
from fusilex.bench.stations.place.placements import pieces_for
from fusilex.bench.stations.place.programmed import kept_of
from fusilex.bench.stations.place.running.commands import MachineRan
from fusilex.journal.entries import Event

LARGEST_BED_MM, MOST_STEP_MM = 2000.0, 1.0


class ChooseWay(Command, frozen=True):
    """Look at placing by hand or by machine."""

    way: str

    def decide(self, batch: Batch) -> Result:
        if self.way not in (HAND, MACHINE):
            raise Refused(f"Parts are placed by {HAND} or by {MACHINE}, not by {self.way}.")
        step = place_step(batch)
        return Result([WayChosen(self.way, step.id)] if self.way != way_of(batch, step) else [])


class PlacePart(Command, frozen=True):
    """A part is on its paste."""

    board: str
    ref: str
    cautions: ClassVar[str] = "Place"

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Place")
        order = [p.ref for p in batch.parts_of(board.step, board)]
        if self.ref not in order:
            raise Refused(f"{self.ref} is not placed on paste at {batch.where(board)}.")
        if self.ref in board.placed:
            raise Refused(f"{self.ref} is already on board {board.serial}.")
        line = batch.lines_of(board)[self.ref].key
        batch.hold_at(judge_bins(batch, {line: 1}))
        placed = PartsPlaced(board.serial, [self.ref], HAND, taken={line: [self.ref]})
        if not set(order) <= {*board.placed, self.ref}:
            return Result([placed])
        counted = pieces_counted(batch, board, [*board.placed, self.ref])
        return Result([placed, *counted.events, *batch.onward([board])], counted.workshop)


class TeachPoint(Command, frozen=True):
    """A part or fiducial of a panel was seen at x, y of the machine (mm), read in steps of `read` mm (0: unknown)."""

    panel: int
    point: str
    x: float
    y: float
    read: float = 0.0
    cautions: ClassVar[str] = "Place"

    def decide(self, batch: Batch) -> Result:
        step = batch.panel_at(self.panel, "Place")[0].step
        point_at(batch, self.point)
        if max(abs(self.x), abs(self.y)) > LARGEST_BED_MM:
            raise Refused(f"A taught point lies within {LARGEST_BED_MM:g} mm of the machine's zero.")
        if not 0 <= self.read <= MOST_STEP_MM:
            raise Refused(
                f"Read a point to {MOST_STEP_MM:g} mm or finer: a coarser one does not tell where a panel is."
            )
        return Result([PointTaught(self.panel, self.point, float(self.x), float(self.y), step, float(self.read))])


class ChooseReferences(Command, frozen=True):
    """Teach points for the panel as a whole, or for each of its boards."""

    per: str

    def decide(self, batch: Batch) -> Result:
        if self.per not in (PER_PANEL, PER_BOARD):
            raise Refused(f"Points are taught for each {PER_PANEL} or each {PER_BOARD}, not {self.per}.")
        step = place_step(batch).id
        here = batch.state[Placing].per.get(step, PER_PANEL)
        return Result([ReferencesChosen(step, self.per)] if self.per != here else [])


class ForgetPoint(Command, frozen=True):
    """A taught point was wrong."""

    panel: int
    point: str

    def decide(self, batch: Batch) -> Result:
        step = place_step(batch).id
        if self.point not in batch.state[Placing].taught.get((self.panel, step), {}):
            raise Refused(f"{self.point} was not taught on panel {self.panel}.")
        return Result([PointForgotten(self.panel, self.point, step)])


class HidePoint(Command, frozen=True):
    """A point cannot be seen on this panel: another is taught for it."""

    panel: int
    point: str

    def decide(self, batch: Batch) -> Result:
        step = batch.panel_at(self.panel, "Place")[0].step
        point_at(batch, self.point)
        return Result([PointHidden(self.panel, self.point, step)])


class BadPrint(Command, frozen=True):
    """The camera shows that the print is bad: the panel goes back to Print, parts that were on it come off."""

    panel: int
    cautions: ClassVar[str] = "Place"

    def decide(self, batch: Batch) -> Result:
        boards = batch.panel_at(self.panel, "Place")
        side = batch.steps.by_id[boards[0].step].side
        prints = [s for s in batch.steps.at_station("Print") if s.side == side]
        if not prints:
            raise Refused("Nothing is printed on this side.")
        if full := [b.serial for b in boards if b.placed]:
            raise Refused(f"Board {full[0]} carries parts: take them off and send it back with F3.")
        back = [SendBack(b.serial, prints[-1].id, "bad print seen under the camera").decide(batch) for b in boards]
        return Result([event for one in back for event in one.events])


class MachinePlaced(Command, frozen=True):
    """The machine has placed what was left on every board of the panel, or what its programme has for it."""

    panel: int
    cautions: ClassVar[str] = "Place"

    def decide(self, batch: Batch) -> Result:
        boards = batch.panel_at(self.panel, "Place")
        if kept := kept_of(batch):
            return MachineRan(self.panel, sorted(kept.labels), []).decide(batch)
        happened: list[Event] = [PanelPlaced(self.panel)]
        workshop: list[Event] = []
        batch.hold_at(judge_bins(batch, pieces_for(batch, boards)))
        for board in boards:
            refs = [p.ref for p in batch.parts_of(board.step, board) if p.ref not in board.placed]
            if refs:
                happened.append(PartsPlaced(board.serial, refs, MACHINE, taken=batch.bins_of(board, refs)))
            counted = pieces_counted(batch, board, [*board.placed, *refs])
            happened += counted.events
            workshop += counted.workshop
        return Result([*happened, *batch.onward(boards)], workshop)


COMMANDS = (ChooseWay, ChooseReferences, PlacePart, TeachPoint, ForgetPoint, HidePoint, BadPrint, MachinePlaced)
