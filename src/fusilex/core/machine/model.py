"""A placing machine as its owner measured it: bed, slots, heads, nozzles, axes and times.

Lengths are mm in the bed's frame (x right, y away from the person, z up), angles degrees counter-clockwise as seen from
above, times s. The heads hang on one beam; the beam's own place is the down-looking camera's less `camera`.
"""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np
from msgspec import Struct, field
from msgspec.structs import astuple
from numpy.typing import NDArray

Place = tuple[float, float]
TAPE, STRIP, TRAY = "tape", "strip", "tray"
LEFT_RIGHT, FRONT_BACK = "left and right", "front and back"
MOST_POCKETS = 1000
AXES = "ABCUVW"
"""The letters by which a programme turns the heads, in their order."""


class Axis(Struct, frozen=True):
    """Top speed and acceleration: mm/s and mm/s², or °/s and °/s²."""

    speed: float
    acceleration: float


class Slot(Struct, frozen=True, dict=True):
    """Where parts are picked up: the middle of the pocket, the widest tape (mm) it takes, and how its tapes lie:
    degrees from a tape that comes from the right with its holes away from the person.

    A strip or a tray has many pockets, of which x, y is the first: `in_row` of them `step` (mm, as x and y) apart, and
    `rows` such rows `row_step` apart.
    """

    name: str
    x: float
    y: float
    width: float = 8.0
    kind: str = TAPE
    turn: float = 0.0
    in_row: int = 1
    rows: int = 1
    step: Place = (0.0, 0.0)
    row_step: Place = (0.0, 0.0)

    @property
    def pockets(self) -> int:
        return self.in_row * self.rows

    def pocket(self, k: int) -> Place:
        """The middle of the pocket that is emptied k-th (from 0): row by row, and from the first again in a full one.

        >>> Slot("tray", 10, 20, in_row=3, rows=2, step=(5, 0), row_step=(0, 8)).pocket(4)
        (15, 28)
        """
        row, column = divmod(k % self.pockets, self.in_row)
        return (
            self.x + column * self.step[0] + row * self.row_step[0],
            self.y + column * self.step[1] + row * self.row_step[1],
        )

    @cached_property
    def pocket_xy(self) -> NDArray[np.float64]:
        """All pockets, pockets × 2."""
        return np.array([self.pocket(k) for k in range(self.pockets)])


class Nozzle(Struct, frozen=True):
    """A tip: the narrowest and widest body (mm, its smaller side) it holds, the heaviest (mg), and how thick it is:
    radius (mm) at heights above its end, rising. `rack` is where the changer keeps it, None where a person changes it.
    """

    name: str
    least: float
    most: float
    heaviest: float = 1000.0
    profile: tuple[tuple[float, float], ...] = ((0.0, 0.5), (3.0, 1.5), (8.0, 3.0))
    rack: Place | None = None

    def radius(self, height: float) -> float:
        """The greatest radius (mm) from its end up to a height (mm) above it, straight between the heights given.

        >>> Nozzle("fine", 0.3, 2.0, profile=((0.0, 0.4), (2.0, 1.4))).radius(1.0).__round__(3)
        0.9
        """
        heights, radii = zip(*self.profile, strict=True)
        return float(np.interp(height, heights, np.maximum.accumulate(radii)))


class Head(Struct, frozen=True):
    """A head: how far it hangs from the beam's place (mm), the nozzle it starts with, and those it takes (none named:
    all).
    """

    name: str
    dx: float = 0.0
    dy: float = 0.0
    nozzle: str = ""
    takes: tuple[str, ...] = ()


class Times(Struct, frozen=True):
    """Seconds for holding still to pick, place and look, for a nozzle change beyond its way, for the head to pull a
    tape's next part forward, and for a person to load a slot.
    """

    pick: float = 0.15
    place: float = 0.15
    look: float = 0.2
    change: float = 4.0
    feed: float = 0.0
    load: float = 90.0


class Machine(Struct, frozen=True, dict=True):
    """The whole machine. `board` is the lower-left corner of the clamped panel; `look_at` the up-looking camera, which
    only a machine with `vision` has; `camera` the down-looking one, from the beam's place; `top_z` the greatest height
    to travel at, `pick_z` that of parts in their pockets, `board_z` that of the bare board; `height_step` the band
    (mm) within which heights may be placed in any order, 0 where the order of heights is free; `edge` how near to the
    edges that are `clamped` (mm) parts may sit; `clearance` what a nozzle keeps from its neighbours (mm); `stands` the
    height of the highest thing on the bed, clamp, rack or camera, None where nobody measured all of them.
    """

    name: str
    width: float
    depth: float
    board: Place
    slots: tuple[Slot, ...]
    heads: tuple[Head, ...]
    nozzles: tuple[Nozzle, ...]
    x: Axis = Axis(400.0, 4000.0)
    y: Axis = Axis(400.0, 4000.0)
    z: Axis = Axis(200.0, 4000.0)
    turn: Axis = Axis(1080.0, 14400.0)
    times: Times = field(default_factory=Times)
    vision: bool = True
    look_at: Place = (0.0, 0.0)
    camera: Place = (0.0, 0.0)
    reject: Place = (0.0, 0.0)
    park: Place = (0.0, 0.0)
    board_z: float = 0.0
    pick_z: float = 0.0
    top_z: float = 25.0
    height_step: float = 1.0
    clamped: str = LEFT_RIGHT
    edge: float = 3.0
    clearance: float = 0.3
    stands: float | None = None

    @cached_property
    def slot_xy(self) -> NDArray[np.float64]:
        """The middle of each slot's pockets, which of a tape's is its pick point: slots × 2."""
        low, high = self._slot_ends
        return np.asarray((low + high) / 2)

    @cached_property
    def slot_reach(self) -> NDArray[np.float64]:
        """How far along x and y pockets lie from that middle, slots × 2: nothing for tapes."""
        low, high = self._slot_ends
        return np.asarray((high - low) / 2)

    @cached_property
    def feed_s(self) -> NDArray[np.float64]:
        """Seconds that the head pulls before a pick, by slot: strips and trays are not pulled."""
        return np.array([self.times.feed if s.pockets == 1 else 0.0 for s in self.slots])

    @cached_property
    def _slot_ends(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        low = [s.pocket_xy.min(axis=0) for s in self.slots]
        return np.reshape(low, (-1, 2)), np.reshape([s.pocket_xy.max(axis=0) for s in self.slots], (-1, 2))

    @cached_property
    def offsets(self) -> NDArray[np.float64]:
        """How far each head hangs from the beam's place, heads × 2."""
        return np.array([[h.dx, h.dy] for h in self.heads]).reshape(-1, 2)

    @cached_property
    def nozzle_index(self) -> dict[str, int]:
        return {nozzle.name: i for i, nozzle in enumerate(self.nozzles)}

    @cached_property
    def head_takes(self) -> NDArray[np.bool_]:
        """Heads × nozzles: which nozzle fits which head."""
        return np.array([[not h.takes or n.name in h.takes for n in self.nozzles] for h in self.heads], dtype=bool)

    @property
    def changes_itself(self) -> bool:
        """True where a changer keeps every nozzle."""
        return all(nozzle.rack is not None for nozzle in self.nozzles)

    def faults(self) -> list[str]:
        """What cannot be so, a sentence each."""
        return [*self._faults_of_parts(), *self._faults_of_places(), *self._faults_of_numbers()]

    def _faults_of_parts(self) -> list[str]:
        found = []
        for what, names in (
            ("slot", [s.name for s in self.slots]),
            ("head", [h.name for h in self.heads]),
            ("nozzle", [n.name for n in self.nozzles]),
        ):
            if not names:
                found.append(f"a machine has at least one {what}")
            found += [f"two {what}s are called {name}" for name in sorted({n for n in names if names.count(n) > 1})]
        if len(self.heads) > len(AXES):
            found.append(f"at most {len(AXES)} heads, not {len(self.heads)}")
        for head in self.heads:
            named = [*head.takes, *([head.nozzle] if head.nozzle else [])]
            found += [
                f"head {head.name} takes nozzle {n}, which is not there" for n in named if n not in self.nozzle_index
            ]
            if head.takes and head.nozzle and head.nozzle not in head.takes:
                found.append(f"head {head.name} starts with {head.nozzle}, which it does not take")
        carried = [h.nozzle for h in self.heads if h.nozzle]
        return found + [
            f"two heads start with nozzle {n}" for n in sorted({n for n in carried if carried.count(n) > 1})
        ]

    def _faults_of_places(self) -> list[str]:
        for s in self.slots:
            if s.in_row < 1 or s.rows < 1 or s.pockets > MOST_POCKETS or (s.kind == TAPE and s.pockets > 1):
                return [f"slot {s.name} has 1 to {MOST_POCKETS} pockets, a tape one"]
            if (s.in_row > 1 and not any(s.step)) or (s.rows > 1 and not any(s.row_step)):
                return [f"the pockets of slot {s.name} lie on one another: give the steps between them"]
        corners = {s.name: {s.pocket(k) for k in (0, s.in_row - 1, -s.in_row, -1)} for s in self.slots}
        places = [(f"slot {name}", at) for name, some in corners.items() for at in sorted(some)]
        places += [(f"the rack of {n.name}", n.rack) for n in self.nozzles if n.rack is not None]
        places += [("the board's corner", self.board), ("the reject bin", self.reject), ("the park place", self.park)]
        places += [("the camera that looks up", self.look_at)] if self.vision else []
        return [
            f"{what} lies outside the bed, at {x:g}, {y:g}"
            for what, (x, y) in places
            if not (0 <= x <= self.width and 0 <= y <= self.depth)
        ]

    def _faults_of_numbers(self) -> list[str]:
        found = []
        for name, axis in (("x", self.x), ("y", self.y), ("z", self.z), ("turn", self.turn)):
            if not (axis.speed > 0 and axis.acceleration > 0 and math.isfinite(axis.speed * axis.acceleration)):
                found.append(f"axis {name} moves with a speed and an acceleration above nothing")
        if any(not 0 <= t < 1e5 for t in astuple(self.times)):
            found.append("times are seconds from 0")
        for n in self.nozzles:
            if not 0 <= n.least < n.most:
                found.append(f"nozzle {n.name} holds bodies from {n.least:g} to {n.most:g} mm")
            if not n.profile or [h for h, _ in n.profile] != sorted({h for h, _ in n.profile}) or n.profile[0][0] != 0:
                found.append(f"the profile of nozzle {n.name} rises from height 0")
        if any(s.width <= 0 or s.kind not in (TAPE, STRIP, TRAY) for s in self.slots):
            found.append("a slot is for tape, strip or tray, of a width above nothing")
        if self.top_z <= max(self.board_z, self.pick_z):
            found.append("the height to travel at lies above board and pockets")
        if self.stands is not None and self.stands >= self.top_z:
            found.append("the height to travel at lies above clamps, rack and camera")
        if min(self.width, self.depth) <= 0 or self.height_step < 0 or self.edge < 0 or self.clearance < 0:
            found.append("the bed has a size; steps, edges and clearances are not below nothing")
        return found
