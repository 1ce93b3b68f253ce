"""The machine's programme for one panel of a design: who places what, found, told in plain values."""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fusilex.core.design.model import Design
from fusilex.core.machine.model import Machine
from fusilex.core.machine.tapes import tape_of
from fusilex.core.panel.layout import Panel
from fusilex.core.programme.job import Job
from fusilex.core.programme.make import Piece, job_of
from fusilex.core.programme.optimise import Found
from fusilex.core.programme.pieces import LineOf, Lying, Parts, feeds_of, pieces_of
from fusilex.core.programme.who import Choice, choose

USUAL_SECONDS = ((100, 2.0), (1000, 20.0))
MOST_SECONDS = 90.0


class Programme(Struct, frozen=True, eq=False):
    """A programme as found, with the job it does and who places the rest."""

    job: Job
    found: Found
    choice: Choice
    pieces: Sequence[Piece]
    by_hand: Sequence[tuple[str, str]]


def usual_seconds(placements: int) -> float:
    """Seconds that a search usually gets."""
    return next((s for most, s in USUAL_SECONDS if placements <= most), MOST_SECONDS)


def clock(seconds: float) -> Callable[[], float]:
    """The share of some seconds from now that is spent."""
    began = time.monotonic()
    return lambda: (time.monotonic() - began) / seconds if seconds > 0 else 1.0


def who_places(
    machine: Machine,
    design: Design,
    panel: Panel,
    parts: Parts,
    line_of: LineOf,
    runs: int,
    side: str = "top",
    said: Mapping[str, bool] | None = None,
    hand_s: Mapping[str, float] | None = None,
) -> Choice:
    """Machine or hand for every line of the parts of a run."""
    return choose(machine, feeds_of(machine, design, panel, parts, line_of, side), runs, hand_s, said=said)


class Loaded(Struct, frozen=True):
    """What stands fast: how lines lie in their tapes by what was put right (°), the slots in which lines stand, the
    parts by cell that are on the panel before the run, and the height (mm) of others that may be.
    """

    turns: Mapping[str, float] = {}
    slots: Mapping[str, str] | None = None
    there: Parts = {}
    over: float = 0.0


AS_IT_COMES = Loaded()


def job_for(
    machine: Machine,
    design: Design,
    panel: Panel,
    parts: Parts,
    line_of: LineOf,
    lying: Lying,
    choice: Choice,
    runs: int,
    loaded: Loaded = AS_IT_COMES,
) -> tuple[Job, list[Piece]]:
    """The job of what the machine takes. Raises ValueError where nothing is left for it, or it cannot be done."""
    taken = set(choice.machine)
    own = {cell: [p for p in some if line_of(cell, p) in taken] for cell, some in parts.items()}
    pieces = pieces_of(design, panel, own, line_of, lying, None, loaded.turns)
    if not pieces:
        raise ValueError("nothing is left for the machine: every line is placed by hand")
    labels = {(p.ref, p.cell - 1) for p in pieces}
    stands = {cell: [p for p in some if (p.ref, cell) not in labels] for cell, some in loaded.there.items()}
    there = pieces_of(design, panel, stands, lambda cell, part: "", lying)
    return job_of(machine, pieces, loaded.slots, runs, there, loaded.over), pieces


def shifted(job: Job, pieces: Sequence[Piece], shifts: Mapping[str, tuple[float, float]]) -> Job:
    """The job with the places of lines that were put right moved, as each part lies."""
    if not shifts:
        return job
    xy = job.xy.copy()
    for i, piece in enumerate(pieces):
        if piece.line in shifts:
            angle = np.radians(piece.angle)
            cos, sin = np.cos(angle), np.sin(angle)
            dx, dy = shifts[piece.line]
            xy[i] += (dx * cos - dy * sin, dx * sin + dy * cos)
    return replace(job, xy=xy)


def hand_of(choice: Choice, parts: Parts, line_of: LineOf) -> list[tuple[str, str]]:
    """References that go on by hand, and why, each once."""
    found: dict[str, str] = {}
    for cell, own in parts.items():
        for part in own:
            if (name := line_of(cell, part)) in choice.hand:
                found.setdefault(part.ref, choice.hand[name])
    return list(found.items())


def as_values(programme: Programme) -> dict[str, Any]:
    """The programme in plain values, as the verb and templates have it: mm, degrees, s, names."""
    job, plan = programme.job, programme.found.plan
    machine = job.machine
    body = {p.line: p.package for p in programme.pieces}
    slots = [
        {
            "slot": machine.slots[s].name,
            "line": job.names[k],
            "width_mm": tape_of(body[job.names[k]]).width,
            "pieces": int(job.count[k]),
        }
        for k, s in sorted(enumerate(plan.slot.tolist()), key=lambda item: item[1])
    ]
    trips, taken = [], Counter[str]()
    for trip in plan.trips:
        picks, places = [], []
        for head, i in trip.picks:
            slot = machine.slots[plan.slot[job.line[i]]]
            x, y = slot.pocket(taken[slot.name])
            taken[slot.name] += 1
            picks.append(
                {
                    "head": machine.heads[head].name,
                    "nozzle": machine.nozzles[trip.nozzles[head]].name,
                    "slot": slot.name,
                    "line": job.names[job.line[i]],
                    "x_mm": x,
                    "y_mm": y,
                }
            )
        for head, i in trip.places:
            ref, cell = job.labels[i]
            places.append(
                {
                    "head": machine.heads[head].name,
                    "ref": ref,
                    "cell": cell,
                    "x_mm": float(job.xy[i, 0]),
                    "y_mm": float(job.xy[i, 1]),
                    "rotation_deg": float(job.head_turn[i, plan.slot[job.line[i]]]),
                    "body_deg": programme.pieces[i].angle,
                    "height_mm": float(job.height[i]),
                }
            )
        trips.append({"picks": picks, "places": places})
    found = programme.found
    return {
        "machine": machine.name,
        "slots": slots,
        "trips": trips,
        "placements": len(job),
        "travel_z_mm": job.travel_z,
        "time_s": found.time_s,
        "bound_s": found.bound_s,
        "gap": found.gap,
        "saved_s": programme.choice.saved_s,
        "choice_gap": programme.choice.gap,
        "hand": [{"ref": ref, "why": why} for ref, why in programme.by_hand],
    }
