"""Better slots for trips that stay as they are."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from fusilex.core.programme.job import Floats, Ints, Job
from fusilex.core.programme.plan import Plan


def slot_flows(job: Job, plan: Plan) -> tuple[Floats, Floats]:
    """What the slots cost a programme: lines × slots for loading, feeding, ways to places and camera, and rows (line,
    head, line, head, times) for ways from slot to slot.
    """
    cost = job.standing.copy()
    legs: dict[tuple[int, int, int, int], int] = {}
    before = np.asarray(job.machine.park)
    turns, turn = job.turning(plan.slot), 0.0
    for trip in plan.trips:
        (h, i), (g, j) = trip.picks[0], trip.picks[-1]
        cost[job.line[i]] += np.maximum(job.leg(before, job.pick_at[:, h]), turn)
        if job.machine.vision:
            cost[job.line[j]] += job.leg(job.pick_at[:, g], job.look_at[[h for h, _ in trip.picks]].mean(axis=0))
        else:
            k, m = trip.places[0]
            cost[job.line[j]] += job.leg(job.pick_at[:, g], job.place_at[m, k])
        for (h, i), (g, j) in pairwise(trip.picks):
            key = int(job.line[i]), h, int(job.line[j]), g
            legs[key] = legs.get(key, 0) + 1
        h, i = trip.places[-1]
        before, turn = job.place_at[i, h], float(max(turns[x] for _, x in trip.places))
    return cost, np.array([[*key, n] for key, n in legs.items()], dtype=float).reshape(-1, 5)


def exchanged_slots(job: Job, plan: Plan, rounds: int = 8) -> Ints:
    """Slots after exchanging pairs (or a line and an empty slot) as long as that shortens the way."""
    cost, legs = slot_flows(job, plan)
    slot = plan.slot.copy()
    a, h, b, g = legs[:, :4].astype(int).T
    times = legs[:, 4]
    touching = [np.flatnonzero((a == k) | (b == k)) for k in range(len(slot))]
    holder = np.full(len(job.machine.slots), -1)
    holder[slot] = np.arange(len(slot))

    def apart(rows: Ints) -> float:
        return float(
            (times[rows] * job.leg(job.pick_at[slot[a[rows]], h[rows]], job.pick_at[slot[b[rows]], g[rows]])).sum()
        )

    for _ in range(rounds):
        better = False
        for k in range(len(slot)):
            for s in range(len(holder)):
                other, old = int(holder[s]), int(slot[k])
                if s == old or not job.can[k, s] or (other >= 0 and not job.can[other, old]):
                    continue
                gain = cost[k, old] - cost[k, s] + (cost[other, s] - cost[other, old] if other >= 0 else 0.0)
                rows = touching[k] if other < 0 else np.union1d(touching[k], touching[other])
                was = apart(rows)
                slot[k] = s
                if other >= 0:
                    slot[other] = old
                if gain + was - apart(rows) > 1e-9:
                    holder[s], holder[old] = k, other
                    better = True
                    continue
                slot[k] = old
                if other >= 0:
                    slot[other] = s
        if not better:
            break
    return slot
