"""Programmes of several heads: what goes together in a trip, on which head, in which order; improved by exchanges.

Exchanges that cost time are taken now and then, ever more rarely (simulated annealing, Kirkpatrick 1983); between its
rounds the order of the trips is an assignment, and the slots are exchanged with everything else held.
"""

from __future__ import annotations

import math
import random
from collections.abc import Iterable, Sequence

import numpy as np

from fusilex.core.programme.few import MOST, best_trips
from fusilex.core.programme.job import Ints, Job
from fusilex.core.programme.plan import Hold, Plan, Trip
from fusilex.core.programme.sequence import best_order
from fusilex.core.programme.setups import Phase, heads_for
from fusilex.core.programme.ways import Draft, Ways

NEAR = 14


class ManyHeads:
    """The drafts of every phase, in order."""

    def __init__(self, job: Job, phases: Sequence[Phase], slot: Ints, seed: int = 0) -> None:
        self.job, self.phases, self.slot = job, list(phases), slot.copy()
        self.random = random.Random(seed)
        self.ways = Ways(job, slot)
        self.own = [np.flatnonzero((job.level == p.level) & np.isin(job.line, p.lines)) for p in self.phases]
        self.heads: list[list[int]] = [[] for _ in range(len(job))]
        for phase, own in zip(self.phases, self.own, strict=True):
            for i in own.tolist():
                self.heads[i] = heads_for(job, int(job.line[i]), phase.nozzles)
        self.drafts = [self._dealt(own) for own in self.own]
        self.near = [self._near(own) for own in self.own]

    def _dealt(self, own: Ints) -> list[Draft]:
        """Parts dealt out to the heads evenly, then one of each head put together by how near they lie."""
        from scipy.optimize import linear_sum_assignment

        job, h = self.job, len(self.job.machine.heads)
        load: list[list[int]] = [[] for _ in range(h)]
        for i in sorted(own.tolist(), key=lambda i: (len(self.heads[i]), int(job.line[i]))):
            load[min(self.heads[i], key=lambda k: len(load[k]))].append(i)
        order = sorted(range(h), key=lambda k: -len(load[k]))
        trips: list[list[Hold]] = [[(order[0], i)] for i in load[order[0]]]
        for k in order[1:]:
            if not load[k]:
                continue
            mean_place = np.array([np.mean([job.place_at[i, g] for g, i in t], axis=0) for t in trips])
            mean_pick = np.array(
                [np.mean([job.pick_at[self.slot[job.line[i]], g] for g, i in t], axis=0) for t in trips]
            )
            cost = job.leg(mean_place[:, None], job.place_at[load[k], k][None])
            cost += job.leg(mean_pick[:, None], job.pick_at[self.slot[job.line[load[k]]], k][None])
            for t, j in zip(*linear_sum_assignment(cost), strict=True):
                trips[t].append((k, load[k][j]))
        return [
            self.arranged(Draft(sorted(t, key=lambda hold: self.ways.pick[hold[1]][hold[0]][0]), list(t)))
            for t in trips
        ]

    def _near(self, own: Ints) -> dict[int, list[int]]:
        from scipy.spatial import cKDTree

        if len(own) < 2:
            return {int(i): [] for i in own}
        _, near = cKDTree(self.job.xy[own]).query(self.job.xy[own], k=min(NEAR + 1, len(own)))
        return {
            int(i): [int(own[j]) for j in row if own[j] != i] for i, row in zip(own, np.atleast_2d(near), strict=True)
        }

    def arranged(self, trip: Draft) -> Draft:
        """A trip of one or two parts in its best order; a longer one as it is."""
        if len(trip.picks) != 2:
            return self.ways.timed(trip)
        (a, i), (b, j) = trip.picks
        ways = [((a, i), (b, j))]
        if b in self.heads[i] and a in self.heads[j]:
            ways.append(((b, i), (a, j)))
        best: Draft | None = None
        for one, other in ways:
            for picks in ([one, other], [other, one]):
                for places in ([one, other], [other, one]):
                    tried = self.ways.timed(Draft(picks, places))
                    if best is None or tried.cost < best.cost:
                        best = tried
        assert best is not None
        return best

    def plan(self) -> Plan:
        """The programme as it stands."""
        trips = [
            Trip(phase.nozzles, tuple(t.picks), tuple(t.places))
            for phase, drafts in zip(self.phases, self.drafts, strict=True)
            for t in drafts
        ]
        return Plan(self.slot.copy(), tuple(trips))

    def sequence(self) -> None:
        """Put the trips of each phase into their best order."""
        job, before = self.job, np.asarray(self.job.machine.park)
        for k, drafts in enumerate(self.drafts):
            start, end = np.array([t.start for t in drafts]), np.array([t.end for t in drafts])
            turn = np.array([t.turn for t in drafts])
            cost = np.zeros((len(drafts) + 1, len(drafts) + 1))
            cost[:-1, :-1] = np.maximum(job.leg(end[:, None], start[None]), turn[:, None])
            cost[-1, :-1] = job.leg(before, start)
            if k == len(self.drafts) - 1:
                cost[:-1, -1] = np.maximum(job.leg(end, np.asarray(job.machine.park)), turn)
            order, _ = best_order(cost)
            self.drafts[k] = [drafts[t] for t in order.tolist()]
            before = np.asarray(self.drafts[k][-1].end)

    def settle(self) -> None:
        """The best trips of each phase, from where the one before it ends: exactly, for few parts on two heads."""
        before = self.job.machine.park
        for k, own in enumerate(self.own):
            last = k == len(self.own) - 1
            end = self.job.machine.park if last else None
            self.drafts[k] = best_trips(self.ways, own.tolist(), self.heads, before, end)
            before = self.drafts[k][-1].end

    @property
    def few(self) -> bool:
        """True where `settle` can tell the best."""
        return len(self.job.machine.heads) == 2 and all(0 < len(own) <= MOST for own in self.own)

    def anneal(self, moves: int, heat: float) -> None:
        """Try a number of exchanges; one that costs as much as the heat (s) is taken in one of e cases."""
        weights = [len(own) for own in self.own]
        where = [self._where(drafts) for drafts in self.drafts]
        pick, several = self.random, len(self.drafts) > 1
        for _ in range(moves):
            k = pick.choices(range(len(weights)), weights)[0] if several else 0
            self._try(k, where[k], heat)

    def _where(self, drafts: list[Draft]) -> dict[int, int]:
        return {i: t for t, draft in enumerate(drafts) for _, i in draft.picks}

    def _try(self, k: int, where: dict[int, int], heat: float) -> None:
        pick, drafts, own = self.random, self.drafts[k], self.own[k]
        i = int(own[int(pick.random() * len(own))])
        t = where[i]
        if len(drafts[t].picks) > 1 and pick.random() < 0.4:
            changed = {t: self._shuffled(drafts[t])}
        else:
            near = self.near[k][i]
            j = (
                near[int(pick.random() * len(near))]
                if near and pick.random() < 0.8
                else int(own[int(pick.random() * len(own))])
            )
            if where[j] == t:
                return
            found = self._exchanged(drafts, t, where[j], i, j)
            if found is None:
                return
            changed = found
        before = self._around(drafts, changed.keys())
        kept = {t: drafts[t] for t in changed}
        for t, draft in changed.items():
            drafts[t] = draft
        worse = self._around(drafts, changed.keys()) - before
        if worse > 0 and pick.random() >= math.exp(-worse / heat):
            for t, draft in kept.items():
                drafts[t] = draft
            return
        for t, draft in changed.items():
            for _, i in draft.picks:
                where[i] = t

    def _around(self, drafts: list[Draft], which: Iterable[int]) -> float:
        """The cost of some trips and of the ways in and out of them."""
        total, links = 0.0, set()
        for t in which:
            total += drafts[t].cost
            links.add(t)
            links.add(t + 1)
        last = len(drafts)
        for t in links:
            if 0 < t < last:
                a = drafts[t - 1]
                way = self.ways.leg(a.end, drafts[t].start)
                total += way if way > a.turn else a.turn
        return total

    def _exchanged(self, drafts: list[Draft], t: int, u: int, i: int, j: int) -> dict[int, Draft] | None:
        """Bring j into the trip of i, for one of the others there, or into a head that is free."""
        one, other = drafts[t], drafts[u]
        mates = [hold for hold in one.picks if hold[1] != i]
        free = len(mates) + 1 < len(self.phases[0].nozzles) and len(other.picks) > 1
        g = next(h for h, x in other.picks if x == j)
        if free and (not mates or self.random.random() < 0.3):
            used = {h for h, _ in one.picks}
            heads = [h for h in self.heads[j] if h not in used]
            if not heads:
                return None
            h = self.random.choice(heads)
            new = Draft([*one.picks, (h, j)], [*one.places, (h, j)])
            old = Draft([x for x in other.picks if x[1] != j], [x for x in other.places if x[1] != j])
            return {t: self.arranged(new), u: self.arranged(old)}
        if not mates:
            return None
        h, a = self.random.choice(mates)
        if h not in self.heads[j] or g not in self.heads[a]:
            return None
        return {
            t: self.arranged(Draft(_swapped(one.picks, a, (h, j)), _swapped(one.places, a, (h, j)))),
            u: self.arranged(Draft(_swapped(other.picks, j, (g, a)), _swapped(other.places, j, (g, a)))),
        }

    def _shuffled(self, trip: Draft) -> Draft:
        """Another order of picking or of placing, or two parts on each other's heads."""
        pick = self.random
        picks, places = list(trip.picks), list(trip.places)
        kind = pick.random()
        a, b = sorted(pick.sample(range(len(picks)), 2))
        if kind < 0.35:
            places[a : b + 1] = places[a : b + 1][::-1]
        elif kind < 0.5:
            places.insert(a, places.pop(b))
        elif kind < 0.7:
            picks[a : b + 1] = picks[a : b + 1][::-1]
        else:
            (g, i), (h, j) = picks[a], picks[b]
            if h in self.heads[i] and g in self.heads[j]:
                new = {i: (h, i), j: (g, j)}
                picks = [new.get(x[1], x) for x in picks]
                places = [new.get(x[1], x) for x in places]
        return self.ways.timed(Draft(picks, places))

    def restand(self, slot: Ints) -> None:
        """The same trips from other slots."""
        self.slot = slot.copy()
        self.ways.stand(slot)
        for drafts in self.drafts:
            for draft in drafts:
                self.ways.timed(draft)


def _swapped(holds: list[Hold], out: int, into: Hold) -> list[Hold]:
    return [into if x[1] == out else x for x in holds]
