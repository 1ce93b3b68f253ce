"""Trips while they are being changed, and what each costs: made for one trip at a time, without arrays."""

from __future__ import annotations

from itertools import pairwise

from fusilex.core.machine.motion import axis_seconds
from fusilex.core.programme.job import Ints, Job
from fusilex.core.programme.plan import Hold

Xy = tuple[float, float]


class Draft:
    """A trip while it is being changed: what is picked and placed in which order."""

    __slots__ = ("cost", "end", "picks", "places", "start", "turn")

    def __init__(self, picks: list[Hold], places: list[Hold]) -> None:
        self.picks, self.places = picks, places
        self.cost = self.turn = 0.0
        self.start: Xy = (0.0, 0.0)
        self.end: Xy = (0.0, 0.0)


class Ways:
    """Seconds between beam places, for one pair at a time, and the places of a job with its slots."""

    def __init__(self, job: Job, slot: Ints) -> None:
        self.x, self.y = job.machine.x, job.machine.y
        self.place: list[list[Xy]] = [[(p[0], p[1]) for p in row] for row in job.place_at.tolist()]
        self.look: list[Xy] = [(p[0], p[1]) for p in job.look_at.tolist()]
        self.seen = job.machine.vision
        self.job = job
        self.stand(slot)

    def stand(self, slot: Ints) -> None:
        """The lines stand in these slots from now on."""
        picks = [[(p[0], p[1]) for p in row] for row in self.job.pick_at.tolist()]
        self.pick: list[list[Xy]] = [picks[s] for s in slot[self.job.line].tolist()]
        self.turn: list[float] = self.job.turning(slot).tolist()

    def leg(self, a: Xy, b: Xy) -> float:
        dx, dy = abs(a[0] - b[0]), abs(a[1] - b[1])
        tx, ty = axis_seconds(dx, self.x), axis_seconds(dy, self.y)
        return tx if tx > ty else ty

    def timed(self, trip: Draft) -> Draft:
        """The trip with its cost, ends and longest turn."""
        leg, pick, place = self.leg, self.pick, self.place
        turn = max([self.turn[i] for _, i in trip.places])
        h, i = trip.picks[0]
        trip.start = here = pick[i][h]
        total = 0.0
        for h, i in trip.picks[1:]:
            to = pick[i][h]
            total += leg(here, to)
            here = to
        h, i = trip.places[0]
        first = place[i][h]
        if self.seen:
            heads = sorted([h for h, _ in trip.picks])
            low, high = self.look[heads[0]], self.look[heads[-1]]
            up, down = leg(low, first), leg(high, first)
            ahead = leg(here, low) + max(down, turn)
            astern = leg(here, high) + max(up, turn)
            total += ahead if ahead < astern else astern
            for a, b in pairwise(heads):
                total += leg(self.look[a], self.look[b])
        else:
            total += max(leg(here, first), turn)
        here = first
        for h, i in trip.places[1:]:
            to = place[i][h]
            total += leg(here, to)
            here = to
        trip.cost, trip.end, trip.turn = total, here, turn
        return trip
