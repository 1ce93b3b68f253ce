"""Boards that differ within the batch: from one board on, or some of them, another part, value or step."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board, Otherwise
from fusilex.bench.command import Command, Result
from fusilex.bench.refusal import Refused
from fusilex.bench.state import BatchState
from fusilex.core.kit.variants import PartChange, varied
from fusilex.core.route.steps import ASIDE, DONE, FIRST, LAST, ONE_SIDED
from fusilex.journal.entries import Entry, Event


class OptionSet(Event, frozen=True):
    """Some boards get another part than drawn, or none, or one that is not drawn as fitted."""

    kind: ClassVar[str] = "option_set"
    about: ClassVar[str] = "boards"
    boards: list[str]
    ref: str
    value: str | None = None
    part_number: str | None = None
    fitted: bool | None = None
    reason: str = ""

    @property
    def change(self) -> PartChange:
        return PartChange(self.ref, self.value, self.part_number, self.fitted)

    def apply(self, state: BatchState, entry: Entry) -> None:
        for serial in self.boards:
            board = state.boards[serial]
            board.variant = varied(board.variant, self.change)
            board.otherwise.append(Otherwise(entry.at, self.change.words, self.reason))

    @property
    def words(self) -> str:
        return f"{self.change.words} on {_shown(self.boards)}"


class StepSkipped(Event, frozen=True):
    """Some boards do not go through a step."""

    kind: ClassVar[str] = "step_skipped"
    about: ClassVar[str] = "boards"
    boards: list[str]
    step: str
    reason: str = ""

    def apply(self, state: BatchState, entry: Entry) -> None:
        for serial in self.boards:
            board = state.boards[serial]
            board.skips.add(self.step)
            board.otherwise.append(Otherwise(entry.at, f"not through {self.step}", self.reason))

    @property
    def words(self) -> str:
        return f"that {_shown(self.boards)} skip {self.step}"


class SetOption(Command, frozen=True):
    """Another part for some boards (`boards` as serials): a value and part number, or fitted or not. The body stays."""

    boards: Sequence[str]
    ref: str
    reason: str
    value: str | None = None
    part_number: str | None = None
    fitted: bool | None = None

    def decide(self, batch: Batch) -> Result:
        part = batch.own.by_ref.get(self.ref)
        if part is None or part.package.mount == "none":
            raise Refused(f"There is no part {self.ref}.")
        if self.value is None and self.part_number is None and self.fitted is None:
            raise Refused(f"Say what is otherwise about {self.ref}: a value, fitted, or not fitted.")
        if self.fitted is False and (self.value or self.part_number):
            raise Refused(f"{self.ref} cannot be left out and have a value.")
        for board in _boards(batch, self.boards, self.reason):
            if self.ref in (*board.placed, *board.soldered):
                raise Refused(f"{self.ref} is on board {board.serial} already: that is a repair.")
        return Result(
            [OptionSet(list(self.boards), self.ref, self.value, self.part_number, self.fitted, self.reason.strip())]
        )


class SkipStep(Command, frozen=True):
    """Some boards do not go through a step that is still before them."""

    boards: Sequence[str]
    step: str
    reason: str

    def decide(self, batch: Batch) -> Result:
        step = batch.steps.by_id.get(self.step)
        if step is None or step.station in (*FIRST, LAST, ASIDE):
            raise Refused(f"There is no step {self.step} that boards could skip.")
        if step.station in ONE_SIDED:
            raise Refused(f"{batch.steps.label(step.id)} cannot be left out alone: paste, parts and heat go together.")
        for board in _boards(batch, self.boards, self.reason):
            if batch.steps.progress(board.place) >= batch.steps.index(self.step):
                raise Refused(f"Board {board.serial} is at {batch.where(board)}: it has come to that step.")
        return Result([StepSkipped(list(self.boards), self.step, self.reason.strip())])


def _boards(batch: Batch, serials: Sequence[str], reason: str) -> list[Board]:
    """The boards meant, none of them done. Raises `Refused`."""
    if not serials:
        raise Refused("Say for which boards.")
    boards = [batch.board_at(serial) for serial in serials]
    if done := next((b for b in boards if b.step == DONE), None):
        raise Refused(f"Board {done.serial} is released: nothing of it changes.")
    if not reason.strip():
        raise Refused("Say why they differ: that stands in their papers.")
    return boards


def _shown(serials: Sequence[str]) -> str:
    return serials[0] if len(serials) == 1 else f"{serials[0]} to {serials[-1]}"


EVENTS = (OptionSet, StepSkipped)
COMMANDS = (SetOption, SkipStep)
