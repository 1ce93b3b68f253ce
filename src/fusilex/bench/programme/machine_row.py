"""A panel's parts before one machine, or several in a row that share them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from msgspec import Struct, field
from msgspec.structs import replace

from fusilex.bench.programme.programming import (
    Loaded,
    Programme,
    as_values,
    clock,
    hand_of,
    job_for,
    shifted,
    usual_seconds,
    who_places,
)
from fusilex.core.design.model import Design
from fusilex.core.machine.model import Machine
from fusilex.core.panel.layout import Panel
from fusilex.core.programme.balance import balance
from fusilex.core.programme.job import Job
from fusilex.core.programme.make import Piece
from fusilex.core.programme.optimise import Spent, optimise
from fusilex.core.programme.pieces import LineOf, Parts, in_corner
from fusilex.core.programme.who import Choice

Clock = Callable[[float], Spent]
"""From some seconds on: the share of them that is spent."""


class MachineRow(Struct, frozen=True, eq=False):
    """A panel clamped in each machine's corner. `fixed` turns (degrees) and `shifts` (mm) lines that were put right."""

    design: Design
    panel: Panel
    parts: Parts
    line_of: LineOf
    side: str = "top"
    fixed: Mapping[str, float] = field(default_factory=dict)
    shifts: Mapping[str, tuple[float, float]] = field(default_factory=dict)

    def found(
        self, machines: Sequence[Machine], runs: int, seconds: float | None, seed: int = 0, clock: Clock = clock
    ) -> tuple[list[Programme], float]:
        """Each machine's programme, and the bound to the time of the slowest; `seconds` to search, None: as is usual.
        Raises ValueError.
        """
        choices = [who_places(m, self.design, self.panel, self.parts, self.line_of, runs, self.side) for m in machines]
        if not any(c.machine for c in choices):
            return [], 0.0
        if len(machines) == 1:
            only, pieces = self._job(machines[0], choices[0], runs)
            best = optimise(only, clock(usual_seconds(len(only)) if seconds is None else seconds), seed)
            hand = hand_of(choices[0], self.parts, self.line_of)
            return [Programme(only, best, choices[0], pieces, hand)], best.bound_s
        able = [frozenset(c.machine) for c in choices]
        every = frozenset().union(*able)
        hand = [(ref, why) for ref, why in hand_of(choices[0], self.parts, self.line_of) if not self._taken(ref, every)]

        def make(m: int, lines: frozenset[str]) -> Job:
            others = every - lines if m else frozenset[str]()  # the first has an empty board before it
            return self._job(machines[m], replace(choices[m], machine=tuple(lines)), runs, others)[0]

        spent = clock(self.usual_seconds(len(machines)) if seconds is None else seconds)
        shared = balance(len(machines), able, [len(m.slots) for m in machines], make, spent, seed)
        made = []
        for m, (lines, job, got) in enumerate(zip(shared.lines, shared.jobs, shared.found, strict=True)):
            if job is not None and got is not None:
                choice = replace(choices[m], machine=tuple(lines))
                made.append(Programme(job, got, choice, self._job(machines[m], choice, runs)[1], hand))
        return made, shared.bound_s

    def usual_seconds(self, machines: int) -> float:
        """Seconds that a search for so many machines usually gets."""
        return usual_seconds(sum(map(len, self.parts.values()))) * machines

    def _taken(self, ref: str, lines: frozenset[str]) -> bool:
        return any(self.line_of(cell, p) in lines for cell, own in self.parts.items() for p in own if p.ref == ref)

    def _job(
        self, machine: Machine, choice: Choice, runs: int, others: frozenset[str] = frozenset()
    ) -> tuple[Job, list[Piece]]:
        """The job of one machine over what `others`, lines that machines before it may place, leave standing."""
        lying = in_corner(machine, self.side)
        own = [p.package.height for cell, some in self.parts.items() for p in some if self.line_of(cell, p) in others]
        loaded = Loaded(self.fixed or {}, over=max(own, default=0.0))
        job, pieces = job_for(machine, self.design, self.panel, self.parts, self.line_of, lying, choice, runs, loaded)
        return shifted(job, pieces, self.shifts), pieces

    def nothing(self, machine: Machine, runs: int) -> dict[str, Any]:
        """Where every line is placed by hand: a programme of no trips, and why each is."""
        choice = who_places(machine, self.design, self.panel, self.parts, self.line_of, runs, self.side)
        empty: dict[str, Any] = {key: [] for key in ("slots", "trips")}
        numbers = dict.fromkeys(("time_s", "bound_s", "gap", "saved_s"), 0.0)
        hand = [{"ref": ref, "why": why} for ref, why in hand_of(choice, self.parts, self.line_of)]
        return {"machine": machine.name, **empty, "placements": 0, **numbers, "hand": hand}


def row_values(made: Sequence[Programme], bound: float) -> dict[str, Any]:
    """The programme in plain values; of several machines in a row each, and what they come to together."""
    each = [as_values(one) for one in made]
    if len(each) == 1:
        return each[0]
    time = max(one["time_s"] for one in each)
    return {
        "machines": each,
        "placements": sum(one["placements"] for one in each),
        "time_s": time,
        "bound_s": bound,
        "gap": max(0.0, time / bound - 1) if bound > 0 else None,
        "hand": each[0]["hand"],
    }
