"""Programmes of one head: with the slots given, the best order is an assignment; the slots are searched around it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from fusilex.core.programme.job import Floats, Ints, Job, cheapest_slots
from fusilex.core.programme.plan import Plan, Trip
from fusilex.core.programme.sequence import best_order
from fusilex.core.programme.setups import Phase


class OneHead:
    """What stays the same while slots change: ways to and from every slot."""

    def __init__(self, job: Job, phases: Sequence[Phase]) -> None:
        self.job, self.phases = job, list(phases)
        pick, place = job.pick_at[:, 0], job.place_at[:, 0]
        self.back = job.leg(place[:, None], pick[None])
        if job.machine.vision:
            look = job.look_at[0]
            self.loaded = job.leg(pick, look)[None] + np.maximum(job.leg(look, place)[:, None], job.turn_time)
        else:
            self.loaded = np.maximum(job.leg(pick[None], place[:, None]), job.turn_time)
        self.park = np.asarray(job.machine.park)
        self.home = job.leg(place, self.park)
        self.own = [np.flatnonzero((job.level == p.level) & np.isin(job.line, p.lines)) for p in self.phases]
        self.rack = [self._rack(p) for p in self.phases]

    def _rack(self, phase: Phase) -> Floats:
        machine = self.job.machine
        place = machine.nozzles[phase.nozzles[0]].rack or machine.park
        return np.asarray(np.asarray(place) - machine.offsets[0])

    def sequenced(self, slot: Ints) -> Ints:
        """The best order for given slots, phase by phase."""
        job, order, turn = self.job, [], self.job.turning(slot)
        carried = job.machine.nozzle_index.get(job.machine.heads[0].nozzle, -1)
        before = -1
        for k, own in enumerate(self.own):
            stands = slot[job.line[own]]
            back = np.maximum(self.back[np.ix_(own, stands)], turn[own, None])
            cost = np.zeros((len(own) + 1, len(own) + 1))
            cost[:-1, :-1] = back
            changed = carried >= 0 and carried != self.phases[k].nozzles[0]
            carried = self.phases[k].nozzles[0]
            cost[-1, :-1] = self._into(before, stands, k, changed)
            cost[:-1, -1] = np.maximum(self._out(own, k, slot), turn[own])
            found, _ = best_order(cost)
            order.append(own[found])
            before = int(own[found[-1]])
        return np.concatenate(order)

    def _into(self, before: int, stands: Ints, k: int, changed: bool) -> Floats:
        job = self.job
        if changed:
            return job.leg(self.rack[k], job.pick_at[stands, 0])
        return job.leg(self.park, job.pick_at[stands, 0]) if before < 0 else self.back[before, stands]

    def _out(self, own: Ints, k: int, slot: Ints) -> Floats:
        """The way out of a phase: home, to the rack, or to the nearest slot of the next."""
        if k == len(self.phases) - 1:
            return np.asarray(self.home[own])
        if self.phases[k + 1].nozzles[0] != self.phases[k].nozzles[0]:
            return self.job.leg(self.job.place_at[own, 0], self.rack[k + 1])
        ahead = np.unique(slot[list(self.phases[k + 1].lines)])
        return np.asarray(self.back[np.ix_(own, ahead)].min(axis=1))

    def plan(self, slot: Ints) -> Plan:
        nozzle = np.empty(len(self.job), dtype=int)
        for phase, own in zip(self.phases, self.own, strict=True):
            nozzle[own] = phase.nozzles[0]
        order = self.sequenced(slot).tolist()
        return Plan(slot, tuple(Trip((int(nozzle[i]),), ((0, i),), ((0, i),)) for i in order))

    def exchanged(self, slot: Ints) -> Ints:
        """Slots after exchanges that shorten the way while its order stays, to where none does any more."""
        job, slot = self.job, slot.copy()
        order, turn = self.sequenced(slot), job.turning(slot)
        cost = np.zeros((len(job.names), len(job.machine.slots)))
        np.add.at(cost, job.line, self.loaded)
        after = np.zeros_like(cost)
        np.add.at(after, job.line[order[1:]], np.maximum(self.back, turn[:, None])[order[:-1]])
        after[job.line[order[0]]] += job.leg(self.park, job.pick_at[:, 0])
        return cheapest_slots(job, cost + after + job.standing)[1]
