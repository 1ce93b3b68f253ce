"""How a batch stands as a whole: its name, and whether it is worked on, paused, closed or put away."""

from __future__ import annotations

from typing import ClassVar

from msgspec import Struct

from fusilex.bench.batch import Batch
from fusilex.bench.command import Command, Result
from fusilex.bench.common.bins import Bins
from fusilex.bench.common.moisture import judge_clocks
from fusilex.bench.common.wet_paste import judge_wet_paste
from fusilex.bench.refusal import Refused
from fusilex.bench.state import BatchState
from fusilex.bench.workshop.stock import Lots
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.journal.entries import Entry, Event

OPEN, PAUSED, CLOSED, ARCHIVED = "open", "paused", "closed", "archived"
WORDS = {PAUSED: "paused", CLOSED: "closed", ARCHIVED: "put away"}


class Standing(Struct):
    """`status` since `at`, and why; `name` where people gave the batch one of their own."""

    status: str = OPEN
    at: str = ""
    reason: str = ""
    name: str = ""


class BatchRenamed(Event, frozen=True):
    """People call the batch something else."""

    kind: ClassVar[str] = "batch_renamed"
    undoable: ClassVar[bool] = False
    name: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Standing].name = self.name


class BatchStands(Event, frozen=True):
    """The batch is worked on, paused for another, closed or put away."""

    kind: ClassVar[str] = "batch_stands"
    undoable: ClassVar[bool] = False
    status: str
    reason: str = ""

    def apply(self, state: BatchState, entry: Entry) -> None:
        held = state[Standing]
        held.status, held.at, held.reason = self.status, entry.at, self.reason


class RenameBatch(Command, frozen=True):
    """A name of its own for the batch; '' is its design and number again."""

    name: str
    at_rest: ClassVar[bool] = True

    def decide(self, batch: Batch) -> Result:
        if len(self.name.strip()) > 80:
            raise Refused("A name of up to 80 letters.")
        return Result([BatchRenamed(self.name.strip())])


class RestBatch(Command, frozen=True):
    """The batch is paused, closed or put away: nothing is done with it until it is taken up again."""

    status: str
    reason: str = ""
    at_rest: ClassVar[bool] = True

    def decide(self, batch: Batch) -> Result:
        if self.status not in WORDS:
            raise Refused(f"A batch is {', '.join(WORDS)}, not {self.status}.")
        if batch.state[Standing].status == self.status:
            raise Refused(f"The batch is {WORDS[self.status]} already.")
        if self.status != PAUSED and (under_way := batch.under_way):
            first = under_way[0]
            raise Refused(
                f"{len(under_way)} boards are not done; {first.serial} is at {batch.where(first)}. Pause it instead."
            )
        return Result([BatchStands(self.status, self.reason.strip())])


class TakeUpBatch(Command, frozen=True):
    """Work on the batch goes on."""

    at_rest: ClassVar[bool] = True

    def decide(self, batch: Batch) -> Result:
        if batch.state[Standing].status == OPEN:
            raise Refused("The batch is being worked on.")
        return Result([BatchStands(OPEN)])


def title(state: BatchState) -> str:
    """What people call a batch: its own name, else design and number."""
    return state[Standing].name or f"{state.opened['design']} batch {state.opened['batch']}"


def aged(batch: Batch) -> list[Judgement]:
    """What has aged while the batch lay: paste that is not molten yet, moisture clocks of its lots."""
    found = [j for board in batch.under_way for j in judge_wet_paste(batch, board)]
    lots, filled = batch.workshop[Lots].lots, batch.state[Bins].filled
    bins = [(line, filled[line.key]) for line in batch.lines if line.key in filled]
    found += judge_clocks(batch, batch.at, [(lots[held.lot], line) for line, held in bins if held.lot in lots])
    worse = [j for j in found if j.level is not Level.GO]
    return list({j.headline: j for j in worse}.values())


EVENTS = (BatchRenamed, BatchStands)
COMMANDS = (RenameBatch, RestBatch, TakeUpBatch)
