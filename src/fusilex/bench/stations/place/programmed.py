"""The programme of a step on its machine: the job of a panel, who places what, trips that were kept."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import lru_cache

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fusilex.bench.batch import Batch
from fusilex.bench.programme.programming import Loaded, job_for, shifted
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.place.machine import place_step
from fusilex.bench.stations.place.references import fit, fits, per_board
from fusilex.bench.stations.place.setup_events import Kept, Row, SetUp
from fusilex.bench.workshop.placer import Placer
from fusilex.bench.workshop.put_right import PutRight
from fusilex.bench.workshop.records import Records
from fusilex.core.design.model import Part
from fusilex.core.machine.model import Machine
from fusilex.core.machine.tapes import tape_of
from fusilex.core.programme.feeding import Sighting, taught_slot
from fusilex.core.programme.job import Job
from fusilex.core.programme.make import Piece
from fusilex.core.programme.pieces import Lying, Parts, feeds_of, in_corner
from fusilex.core.programme.plan import Plan, Trip
from fusilex.core.programme.who import Choice, Feed, choose


class Task(Struct, frozen=True, eq=False):
    """A panel's job for the machine, the pieces it is made of, and who places what."""

    job: Job
    pieces: Sequence[Piece]
    choice: Choice


def placer_of(batch: Batch) -> Placer:
    """The machine of the Place step in view."""
    step = place_step(batch).id
    records = batch.workshop[Records]
    chosen = batch.state[SetUp].machine.get(step, "")
    return records.all(Placer).get(chosen) or records.first(Placer)


def machine_of(batch: Batch) -> Machine:
    """The same, as the sums know it, with the pick points that were taught for this step."""
    seen = batch.state[SetUp].seen.get(place_step(batch).id, {})
    loaded = batch.state[SetUp].loaded.get(place_step(batch).id, {})
    pitches = {slot: _pitch(batch, load.line) for slot, load in loaded.items()}
    taught = tuple((slot, tuple(some), pitches.get(slot, 0.0)) for slot, some in sorted(seen.items()) if some)
    return _taught(placer_of(batch), taught)


def _pitch(batch: Batch, key: str) -> float:
    """mm from pocket to pocket of a line's tape, 0 where it comes in none."""
    package = next((line.package for line in batch.lines if line.key == key), None)
    try:
        return tape_of(package).pitch if package else 0.0
    except ValueError:
        return 0.0


@lru_cache(maxsize=8)
def _taught(placer: Placer, taught: tuple[tuple[str, tuple[Sighting, ...], float], ...]) -> Machine:
    machine, seen = machine_from(placer), {slot: (some, pitch) for slot, some, pitch in taught}
    if not seen:
        return machine
    return replace(machine, slots=tuple(taught_slot(s, *seen[s.name]) if s.name in seen else s for s in machine.slots))


@lru_cache(maxsize=8)
def machine_from(placer: Placer) -> Machine:
    """A record's machine, made once."""
    return placer.machine


def parts_of_panel(batch: Batch, panel: int, left_only: bool = False) -> Parts:
    """Parts of the step by cell of a panel's boards (or those not on them yet)."""
    step = place_step(batch).id
    boards = [b for b in batch.state.panel_boards(panel) if not b.scrapped]
    return {b.cell: [p for p in batch.parts_of(step, b) if not (left_only and p.ref in b.placed)] for b in boards}


def parts_there(batch: Batch, panel: int) -> Parts:
    """Parts that are on the side that is up by cell of a panel's boards, whoever put or soldered them there."""
    side, boards = place_step(batch).side, [b for b in batch.state.panel_boards(panel) if not b.scrapped]
    return {
        b.cell: [p for ref, p in batch.built(b).items() if p.side == side and ref in {*b.placed, *b.soldered}]
        for b in boards
    }


def line_of(batch: Batch, panel: int, cell: int, part: Part) -> str:
    """The bin's key of a part on a panel's board."""
    board = next(b for b in batch.state.panel_boards(panel) if b.cell == cell and not b.scrapped)
    return batch.lines_of(board)[part.ref].key


def choice(batch: Batch, panel: int) -> Choice:
    """Machine or hand for every line of the step, over all panels."""
    return batch.once(_choice, panel)


def _choice(batch: Batch, panel: int) -> Choice:
    step, machine = place_step(batch), machine_of(batch)
    lines = _lines_by_cell(batch, panel)
    parts = parts_of_panel(batch, panel)
    feeds = feeds_of(machine, batch.design, batch.panel, parts, lambda cell, part: lines[cell][part.ref], step.side)
    said = batch.state[SetUp].said.get(step.id, {})
    return _chosen(machine, tuple(feeds), max(1, len(batch.state.panels)), tuple(sorted(said.items())))


@lru_cache(maxsize=16)
def _chosen(machine: Machine, feeds: tuple[Feed, ...], panels: int, said: tuple[tuple[str, bool], ...]) -> Choice:
    return choose(machine, feeds, panels, said=dict(said))


def _lines_by_cell(batch: Batch, panel: int) -> dict[int, dict[str, str]]:
    return {
        b.cell: {ref: line.key for ref, line in batch.lines_of(b).items()}
        for b in batch.state.panel_boards(panel)
        if not b.scrapped
    }


def task(batch: Batch, panel: int, left_only: bool = False) -> Task:
    """The job of a panel as taught, or with its corner in the machine's where nothing was taught. Raises `Refused`."""
    step, machine = place_step(batch), machine_of(batch)
    made = choice(batch, panel)
    lines = _lines_by_cell(batch, panel)
    put = batch.workshop[PutRight]
    slots = {load.line: slot for slot, load in batch.state[SetUp].loaded.get(step.id, {}).items()}
    try:
        job, pieces = job_for(
            machine,
            batch.design,
            batch.panel,
            parts_of_panel(batch, panel, left_only),
            lambda cell, part: lines[cell][part.ref],
            lying(batch, panel, machine, step.side),
            made,
            max(1, len(batch.state.panels)),
            Loaded(put.turns(batch.lines), slots, parts_there(batch, panel)),
        )
    except ValueError as problem:
        raise Refused(f"{machine.name}: {problem}.") from None
    return Task(shifted(job, pieces, put.shifts(batch.lines)), pieces, made)


def lying(batch: Batch, panel: int, machine: Machine, side: str) -> Lying:
    """How a panel lies on the bed: as its taught points say, else with its corner in the clamp; each board by its own
    points, where it is taught by itself.
    """
    whole = fit(batch, panel)
    boards = (
        {c: Lying(f.apply, f.rotation_deg, side) for c, f in fits(batch, panel).items()} if per_board(batch) else {}
    )
    if whole is None:
        return replace(in_corner(machine, side), boards=boards)
    return Lying(whole.apply, whole.rotation_deg, side, boards)


def rows_of(job: Job, plan: Plan) -> tuple[dict[str, str], list[Row]]:
    """A plan as it is kept."""
    machine = job.machine
    slots = {job.names[k]: machine.slots[s].name for k, s in enumerate(plan.slot.tolist())}
    names = [n.name for n in machine.nozzles]
    rows = [
        [
            [names[n] if n >= 0 else "" for n in trip.nozzles],
            [[h, *job.labels[i]] for h, i in trip.picks],
            [[h, *job.labels[i]] for h, i in trip.places],
        ]
        for trip in plan.trips
    ]
    return slots, rows


def plan_of(job: Job, kept: Kept) -> Plan:
    """Kept trips for a job, without what is on the board already. Raises `Refused` where they do not belong to the
    machine or its lines any more.
    """
    machine = job.machine
    at = {slot.name: s for s, slot in enumerate(machine.slots)}
    index = {label: i for i, label in enumerate(job.labels)}
    try:
        slot = np.array([at[kept.slots[name]] for name in job.names], dtype=int)
        trips = []
        for nozzles, picks, places in kept.trips:
            held = tuple(machine.nozzle_index[n] if n else -1 for n in nozzles)
            own = [(h, index[ref, cell]) for h, ref, cell in picks if (ref, cell) in index]
            put = [(h, index[ref, cell]) for h, ref, cell in places if (ref, cell) in index]
            if own:
                trips.append(Trip(held, tuple(own), tuple(put)))
    except KeyError as missing:
        raise Refused(
            f"The programme was found for other slots, nozzles or lines ({missing}): find one anew."
        ) from None
    there = sum(len(t.places) for t in trips)
    if there != len(job):
        raise Refused(f"The programme leaves {len(job) - there} parts out: find one anew.")
    return Plan(slot, tuple(trips))


def fed_of(kept: Kept, cell: int, lines: Mapping[str, str]) -> dict[str, tuple[str, str, str]]:
    """Slot, nozzle and head by which a kept programme puts parts, by their lines, into a cell (1 …)."""
    return {
        ref: (kept.slots.get(lines[ref], ""), nozzles[head], str(head + 1))
        for nozzles, picks, _ in kept.trips
        for head, ref, at in picks
        if at == cell and ref in lines
    }


def kept_of(batch: Batch) -> Kept | None:
    """The programme kept for the step in view."""
    return batch.state[SetUp].kept.get(place_step(batch).id)
