"""What a programme has to do, as arrays: lines of parts, the places they go to, and the machine."""

from __future__ import annotations

from functools import cached_property

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from fusilex.core.machine.model import Machine
from fusilex.core.machine.motion import Seconds, axis_time, short_turn, stroke_time, travel_time

Floats = NDArray[np.float64]
Ints = NDArray[np.int_]
Bools = NDArray[np.bool_]
FAR = 1e6
"""Seconds for what cannot be."""


class Job(Struct, frozen=True, eq=False, dict=True):
    """n placements of L lines with a machine of S slots, N nozzles, h heads.

    `line` (n) is each placement's line, `xy` (n × 2, mm, bed) where its middle goes, `turn` (n, degrees in (−180, 180])
    how far a part from an unturned slot is turned, `height` (n, mm) of its body, `level` (n) the pass in which it goes
    on: passes follow one another. `fits` (L × N) says which nozzle holds a line, `can` (L × S) which slot takes it;
    `labels` (n) are (ref, cell). `travel_z` (mm) is the height to travel at. `moving` (L × S) are the seconds a run
    that loading a line into a slot costs, 0 where it stands already.
    """

    machine: Machine
    names: tuple[str, ...]
    fits: Bools
    can: Bools
    line: Ints
    xy: Floats
    turn: Floats
    height: Floats
    level: Ints
    labels: tuple[tuple[str, int], ...]
    travel_z: float
    moving: Floats

    def __len__(self) -> int:
        return len(self.line)

    @cached_property
    def count(self) -> Ints:
        """Placements of each line, L."""
        return np.bincount(self.line, minlength=len(self.names))

    @cached_property
    def pick_at(self) -> Floats:
        """Where the beam stands when a head picks in the middle of a slot: S × h × 2."""
        return np.asarray(self.machine.slot_xy[:, None] - self.machine.offsets[None])

    @cached_property
    def place_at(self) -> Floats:
        """Where the beam stands when a head places: n × h × 2."""
        return np.asarray(self.xy[:, None] - self.machine.offsets[None])

    @cached_property
    def look_at(self) -> Floats:
        """Where the beam stands when a head is over the camera: h × 2."""
        return np.asarray(np.asarray(self.machine.look_at) - self.machine.offsets)

    @cached_property
    def head_turn(self) -> Floats:
        """How far a head turns each part that it picks from a slot, degrees in (−180, 180], n × S."""
        return short_turn(self.turn[:, None] - np.array([s.turn for s in self.machine.slots]))

    @cached_property
    def turn_time(self) -> Seconds:
        """Seconds for that, n × S."""
        return axis_time(self.head_turn, self.machine.turn)

    @cached_property
    def least_turn(self) -> Seconds:
        """Seconds to turn each part from the slot where that takes the least, n."""
        return np.asarray(np.where(self.can[self.line], self.turn_time, np.inf).min(axis=1))

    def turning(self, slot: Ints) -> Seconds:
        """Seconds to turn each part with the lines in these slots, n."""
        return np.asarray(self.turn_time[np.arange(len(self)), slot[self.line]])

    @cached_property
    def usable(self) -> Bools:
        """Which head may ever carry a line: L × h."""
        return np.asarray((self.fits[:, None, :] & self.machine.head_takes[None]).any(axis=2))

    @cached_property
    def standing(self) -> Floats:
        """Seconds a run that each line costs in each slot whatever the order: to be loaded there, and fed. L × S."""
        return np.asarray(self.moving + self.count[:, None] * self.machine.feed_s)

    @cached_property
    def standing_still(self) -> float:
        """Seconds that the programme takes in any order and slots: strokes, pick, place, look, down from the top."""
        m = self.machine
        each = m.times.pick + m.times.place + (m.times.look if m.vision else 0.0)
        strokes = stroke_time(m, self.travel_z, m.pick_z) + stroke_time(m, self.travel_z, m.board_z + self.height)
        return float(len(self) * each + strokes.sum() + stroke_time(m, m.top_z, self.travel_z))

    def leg(self, start: Floats, end: Floats) -> Seconds:
        """Seconds between beam places."""
        return travel_time(self.machine, start, end)

    def least_leg(self, start: Floats, pick: Floats, reach: Floats) -> Seconds:
        """Seconds between beam places at the least, where one of them is any within `reach` (mm) of a slot's middle."""
        away = np.maximum(np.abs(np.asarray(pick) - start) - reach, 0.0)
        return travel_time(self.machine, np.zeros(2), away)


def cheapest_slots(job: Job, cost: Floats) -> tuple[float, Ints]:
    """A slot for each line, one line a slot, at the least sum of what each costs in each (L × S), and that sum."""
    from scipy.optimize import linear_sum_assignment

    _, chosen = linear_sum_assignment(np.where(job.can, cost, FAR))
    return float(cost[np.arange(len(cost)), chosen].sum()), np.asarray(chosen)
