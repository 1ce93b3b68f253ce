"""Commands that set a machine up: choose it, decide who places a line, keep a programme, load slots, see pockets."""

from __future__ import annotations

import math
from typing import Any, ClassVar

import msgspec

from fusilex.bench.batch import Batch
from fusilex.bench.command import Command, Result
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.place.machine import place_step
from fusilex.bench.stations.place.programmed import (
    choice,
    kept_of,
    machine_from,
    machine_of,
    placer_of,
    plan_of,
    task,
)
from fusilex.bench.stations.place.running.events import ProofVoided
from fusilex.bench.stations.place.setup_events import (
    Kept,
    LineDecided,
    MachineChosen,
    PieceMeasured,
    PocketSeen,
    ProgrammeKept,
    SetUp,
    SlotLoaded,
)
from fusilex.bench.workshop.placer import Placer
from fusilex.bench.workshop.records import Records
from fusilex.core.placing.first_piece import verdict_of
from fusilex.core.programme.feeding import OFF_LIMIT_MM, Sighting, taught_slot
from fusilex.core.programme.plan import programme_time

MOST_PIECES = 100_000
Held = tuple[int, str, int]
"""A head (from 0), and the reference and cell (from 1) of what it carries."""


class ChooseMachine(Command, frozen=True):
    """Place this step with another machine; its programme has to be found anew."""

    machine: str

    def decide(self, batch: Batch) -> Result:
        step, known = place_step(batch).id, batch.workshop[Records].all(Placer)
        if self.machine not in known:
            raise Refused(f"No placer is called {self.machine}: {', '.join(known) or 'none is on record'}.")
        if batch.state[SetUp].machine.get(step) == self.machine:
            return Result()
        return Result([MachineChosen(step, self.machine), ProofVoided(step, [])])


class DecideLine(Command, frozen=True):
    """Say who places a line: ``machine``, ``hand``, or nothing, and the sums decide again."""

    line: str
    placed_by: str

    def decide(self, batch: Batch) -> Result:
        step = place_step(batch)
        if self.placed_by not in ("machine", "hand", ""):
            raise Refused(f"A line is placed by machine or by hand, not by {self.placed_by}.")
        if self.line not in {batch.line_of[p.ref].key for p in batch.parts_of(step.id) if p.ref in batch.line_of}:
            raise Refused(f"No line {self.line} is placed here.")
        return Result([LineDecided(step.id, self.line, self.placed_by)])


class KeepProgramme(Command, frozen=True):
    """Keep a programme that was found for the machine of this step: slots by line, trips, and the bound that was
    proven.
    """

    slots: dict[str, str]
    trips: list[Any]
    bound_s: float

    def decide(self, batch: Batch) -> Result:
        step, machine = place_step(batch), machine_of(batch)
        done = task(batch, batch.board.panel)
        try:
            trips = msgspec.convert(self.trips, list[tuple[list[str], list[Held], list[Held]]])
        except msgspec.ValidationError as problem:
            raise Refused(f"That is no programme: {problem}.") from None
        rows = [[list(n), [list(p) for p in picks], [list(p) for p in places]] for n, picks, places in trips]
        plan = plan_of(done.job, Kept(machine.name, self.slots, rows, 0.0, 0.0, ""))
        heads = len(machine.heads)
        for trip in plan.trips:
            held = [h for h, _ in trip.picks]
            if sorted(trip.picks) != sorted(trip.places) or len(set(held)) != len(held) or len(trip.nozzles) != heads:
                raise Refused("That is no programme: a trip places what it picks, one part a head.")
            if not all(
                0 <= h < heads and trip.nozzles[h] >= 0 and done.job.fits[done.job.line[i], trip.nozzles[h]]
                for h, i in trip.picks
            ):
                raise Refused("That is no programme: a nozzle does not hold its part.")
        if len(set(self.slots.values())) != len(self.slots):
            raise Refused("That is no programme: two lines stand in one slot.")
        time = programme_time(done.job, plan)
        kept = ProgrammeKept(step.id, machine.name, self.slots, rows, time, min(self.bound_s, time))
        return Result([kept, ProofVoided(step.id, [])])


class LoadSlot(Command, frozen=True):
    """A line's tape, strip or tray with so many pieces stands in a slot."""

    slot: str
    line: str
    pieces: int
    cautions: ClassVar[str] = "Place"

    def decide(self, batch: Batch) -> Result:
        step, machine = place_step(batch).id, machine_of(batch)
        if self.slot not in {s.name for s in machine.slots}:
            raise Refused(f"{machine.name} has no slot {self.slot}.")
        if self.line not in choice(batch, batch.board.panel).machine:
            raise Refused(f"{self.line} is not placed by the machine.")
        if not 1 <= self.pieces <= MOST_PIECES:
            raise Refused(f"A slot holds 1 to {MOST_PIECES} pieces, not {self.pieces}.")
        kept = kept_of(batch)
        if kept and kept.slots.get(self.line, self.slot) != self.slot:
            raise Refused(f"The programme has {self.line} in slot {kept.slots[self.line]}, not in {self.slot}.")
        measured = batch.state[SetUp].measured.get(self.line)
        if measured and measured[1] == "wrong":
            raise Refused(f"The piece of {self.line} on the meter was not what it should be: look at the tape first.")
        return Result([SlotLoaded(step, self.slot, self.line, self.pieces)])


class SeePocket(Command, frozen=True):
    """A pocket's middle was seen under the camera at x, y (mm, bed), so many pockets from the slot's pick point."""

    slot: str
    pockets: int
    x: float
    y: float
    cautions: ClassVar[str] = "Place"

    def decide(self, batch: Batch) -> Result:
        step, machine = place_step(batch).id, machine_of(batch)
        found = next((s for s in machine.slots if s.name == self.slot), None)
        if found is None:
            raise Refused(f"{machine.name} has no slot {self.slot}.")
        if not 0 <= self.pockets <= 200:
            raise Refused("Pockets count from 0, the pick point, to 200.")
        if not (0 <= self.x <= machine.width and 0 <= self.y <= machine.depth):
            raise Refused(f"{self.x:g}, {self.y:g} lies outside the bed.")
        before = batch.state[SetUp].seen.get(step, {}).get(self.slot, [])
        now = [*(s for s in before if s.pockets != self.pockets), Sighting(self.pockets, self.x, self.y)]
        meant = next(s for s in machine_from(placer_of(batch)).slots if s.name == self.slot)
        there = taught_slot(meant, now, 0.0)
        if (off := math.dist((there.x, there.y), (meant.x, meant.y))) > OFF_LIMIT_MM:
            raise Refused(
                f"That puts the pick point of slot {self.slot} {off:.1f} mm from where the machine has it: count the"
                " pockets again, or measure the slot's place anew (B at Machine)."
            )
        return Result([PocketSeen(step, self.slot, self.pockets, self.x, self.y)])


class MeasurePiece(Command, frozen=True):
    """One piece of a line lay on the meter; the value in ohms, farads or henries."""

    line: str
    reading: float

    def decide(self, batch: Batch) -> Result:
        line = next((x for x in batch.lines if x.key == self.line), None)
        if line is None:
            raise Refused(f"There is no line {self.line}.")
        if not 0 <= self.reading <= 1e12:
            raise Refused("A reading is not below nothing.")
        return Result(
            [PieceMeasured(self.line, self.reading, verdict_of(line.value, line.package.family, self.reading)[0])]
        )


COMMANDS = (ChooseMachine, DecideLine, KeepProgramme, LoadSlot, SeePocket, MeasurePiece)
