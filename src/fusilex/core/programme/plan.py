"""A programme as it will run: what stands in which slot, and the trips one by one, each a walk of the beam."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from enum import Enum

import numpy as np
from msgspec import Struct

from fusilex.core.machine.motion import stroke_time
from fusilex.core.programme.job import Floats, Ints, Job

Hold = tuple[int, int]
"""A head and the placement it carries."""


class Trip(Struct, frozen=True):
    """One way from the slots over the camera to the board: picks and places in order, and the nozzle of each head (−1:
    none).
    """

    nozzles: tuple[int, ...]
    picks: tuple[Hold, ...]
    places: tuple[Hold, ...]


class Plan(Struct, frozen=True, eq=False):
    """The slot of each line (L) and the trips in order."""

    slot: Ints
    trips: tuple[Trip, ...]


class Act(Enum):
    """What the beam stops for."""

    CHANGE = "change"
    PICK = "pick"
    LOOK = "look"
    PLACE = "place"
    PARK = "park"


class Stop(Struct, frozen=True):
    """A stop of the beam at `at` (mm): the head that acts, the placement it carries or the nozzle it takes, the trip it
    belongs to, and the longest turn (s) that heads make on the way here.
    """

    act: Act
    head: int
    item: int
    at: tuple[float, float]
    trip: int
    turning: float = 0.0


def walk(job: Job, plan: Plan, emptied: Mapping[int, int] | None = None) -> Iterator[Stop]:
    """Every stop of a programme, from the park place and back to it. `emptied` are the pockets of strips and trays that
    were emptied before, by slot; each pick takes the next.

    All heads turn their parts at once on the way to the first place of a trip, and back on the way from the last.
    """
    machine = job.machine
    taken = Counter(emptied or {})
    turn = job.turning(plan.slot)
    carried = [machine.nozzle_index.get(head.nozzle, -1) for head in machine.heads]
    for k, trip in enumerate(plan.trips):
        carried = (
            [new if old < 0 else old for old, new in zip(carried, trip.nozzles, strict=True)] if k == 0 else carried
        )
        back = _turning(turn, plan.trips[k - 1]) if k else 0.0
        for head, nozzle in changes(carried, trip.nozzles):
            place = machine.nozzles[nozzle if nozzle >= 0 else carried[head]].rack or machine.park
            yield Stop(Act.CHANGE, head, nozzle, _beam(job, place, head), k, back)
            carried[head], back = nozzle, 0.0
        for head, i in trip.picks:
            slot = int(plan.slot[job.line[i]])
            yield Stop(Act.PICK, head, i, _beam(job, machine.slots[slot].pocket(taken[slot]), head), k, back)
            taken[slot] += 1
            back = 0.0
        held = dict(trip.places)
        if machine.vision:
            for head in look_order(job, plan, trip):
                yield Stop(Act.LOOK, head, held[head], _pair(job.look_at[head]), k)
        turning = _turning(turn, trip)
        for head, i in trip.places:
            yield Stop(Act.PLACE, head, i, _pair(job.place_at[i, head]), k, turning)
            turning = 0.0
    end = _turning(turn, plan.trips[-1]) if plan.trips else 0.0
    yield Stop(Act.PARK, 0, -1, machine.park, len(plan.trips), end)


def changes(carried: list[int], wanted: tuple[int, ...]) -> list[Hold]:
    """Heads that need another nozzle, and which (−1: none); a head that holds what another needs puts it away first.

    >>> changes([0, 1], (1, -1)), changes([0, 1], (0, 2))
    ([(1, -1), (0, 1)], [(1, 2)])
    """
    held, found = list(carried), []
    for head, nozzle in enumerate(wanted):
        if nozzle < 0 or held[head] == nozzle:
            continue
        if nozzle in held:
            other = held.index(nozzle)
            found.append((other, -1))
            held[other] = -1
        found.append((head, nozzle))
        held[head] = nozzle
    return found


def look_order(job: Job, plan: Plan, trip: Trip) -> list[int]:
    """Heads in the order in which they look: along the beam from whichever end is the shorter way."""
    heads = sorted(h for h, _ in trip.picks)
    h, i = trip.picks[-1]
    start = job.pick_at[plan.slot[job.line[i]], h]
    h, i = trip.places[0]
    end = job.place_at[i, h]
    first, last = job.look_at[heads[0]], job.look_at[heads[-1]]
    up = job.leg(start, first) + job.leg(last, end)
    return heads if up <= job.leg(start, last) + job.leg(first, end) else heads[::-1]


def seconds(job: Job, plan: Plan) -> Floats:
    """Seconds that each stop takes, the way to it included, in the order of `walk`."""
    stops = list(walk(job, plan))
    at = np.array([job.machine.park, *(s.at for s in stops)])
    ways = np.maximum(job.leg(at[:-1], at[1:]), [s.turning for s in stops])
    fed = job.machine.feed_s[plan.slot][job.line]
    return np.asarray(ways + _still(job, stops) + [fed[s.item] if s.act is Act.PICK else 0.0 for s in stops])


def programme_time(job: Job, plan: Plan) -> float:
    """Seconds from the park place back to it."""
    return float(seconds(job, plan).sum())


def slots_moved(job: Job, plan: Plan) -> float:
    """Seconds a run that loading other slots than those that stand costs."""
    return float(job.moving[np.arange(len(plan.slot)), plan.slot].sum())


def _still(job: Job, stops: list[Stop]) -> Floats:
    m, t = job.machine, job.machine.times
    down = float(stroke_time(m, job.travel_z, m.pick_z))
    lay = stroke_time(m, job.travel_z, m.board_z + job.height)
    fixed = {Act.CHANGE: t.change, Act.PICK: t.pick + down, Act.LOOK: t.look}
    fixed[Act.PARK] = float(stroke_time(m, m.top_z, job.travel_z))
    return np.array([t.place + lay[s.item] if s.act is Act.PLACE else fixed[s.act] for s in stops])


def _turning(turn: Floats, trip: Trip) -> float:
    return float(max(turn[i] for _, i in trip.places))


def _beam(job: Job, place: tuple[float, float], head: int) -> tuple[float, float]:
    dx, dy = job.machine.offsets[head]
    return float(place[0] - dx), float(place[1] - dy)


def _pair(at: Floats) -> tuple[float, float]:
    return float(at[0]), float(at[1])
