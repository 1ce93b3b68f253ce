"""A bed with tapes, nozzles and parts that behave as they do: what a stand-in machine picks, drops and puts down.

Faults are seeded, so that they repeat: pockets that give nothing, parts on their side, vacuum lost on the way, tapes
that jam or run out, pockets of a tray that are empty, a nozzle that is not in the rack.
"""

from __future__ import annotations

import random
from collections.abc import Mapping

import numpy as np
from msgspec import Struct, field

from fusilex.core.machine.controller import Doing, Step
from fusilex.core.machine.model import TAPE, Machine
from fusilex.core.machine.motion import short_turn, stroke_time
from fusilex.core.machine.rs274 import BadBlock

NO_NOZZLE = "nozzle missing"
REACH_MM, DEEP_MM, RETRIES, JAM_PICKS = 0.8, 0.3, 2, 6


class Chances(Struct, frozen=True):
    """How often a pick or a way goes wrong, each as a share; `missing` how often a nozzle is not in its place at the
    start, `hidden` how often a reference point is covered.
    """

    miss: float = 0.01
    side: float = 0.003
    lost: float = 0.003
    jam: float = 0.0005
    missing: float = 0.01
    hidden: float = 0.06


NEVER = Chances(0.0, 0.0, 0.0, 0.0, 0.0, 0.0)


class Fault(Struct, frozen=True):
    """What went wrong, when (s), with which slot, head and nozzle (from 0; −1: none), and in which line."""

    kind: str
    at_s: float
    slot: int
    head: int
    nozzle: int
    line: int


class Placed(Struct, frozen=True):
    """A part that was put down: slot and nozzle it came by, where (mm, bed), how far it was turned since its pocket
    (degrees in (−180, 180]), and the comment of the block.
    """

    slot: int
    nozzle: int
    head: int
    x: float
    y: float
    z: float
    turned: float
    at_s: float


class _Held(Struct):
    slot: int
    turn: float
    good: bool = True


class World(Struct, dict=True):
    """The bed under a machine. `left` are the pieces in each slot (from 0), endless where it says nothing; `emptied`
    how many pockets of strips and trays are empty.
    """

    machine: Machine
    chances: Chances = NEVER
    seed: int = 0
    left: Mapping[int, int] = field(default_factory=dict)
    missing: frozenset[int] = frozenset()
    emptied: Mapping[int, int] = field(default_factory=dict)
    time_s: float = 0.0
    placed: list[Placed] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)
    used: dict[int, int] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self._random = random.Random(self.seed)
        self.nozzles = [self.machine.nozzle_index.get(h.nozzle, -1) for h in self.machine.heads]
        self.held: list[_Held | None] = [None] * len(self.machine.heads)
        self._pockets = dict(self.left)
        away = random.Random(f"{self.seed} nozzles")
        kept = [k for k, nozzle in enumerate(self.machine.nozzles) if nozzle.rack is not None]
        gone = [k for k in kept if away.random() < self.chances.missing]
        self.missing = self.missing | (frozenset(gone) - set(self.nozzles))
        self._asked: tuple[int, int] | None = None
        self._jammed: dict[int, int] = {}
        self._empty = {(slot, k) for slot, count in self.emptied.items() for k in range(count)}
        self._owners = [(k, pocket) for k, slot in enumerate(self.machine.slots) for pocket in range(slot.pockets)]
        self._middles = np.concatenate([s.pocket_xy for s in self.machine.slots])

    def tip(self, step: Step, head: int) -> tuple[float, float]:
        """Where a head's tip is after a step (mm)."""
        dx, dy = self.machine.offsets[head]
        return step.x + float(dx), step.y + float(dy)

    def happen(self, step: Step) -> list[Fault]:
        """A step was done: time goes on, parts are held or let go. The faults it led to. Raises `BadBlock` for what
        would break a machine.
        """
        self.time_s += step.seconds
        before = len(self.faults)
        if step.doing is Doing.HOLD:
            self._hold(step, step.item)
        elif step.doing is Doing.LET_GO:
            self._let_go(step, step.item)
        elif step.doing is Doing.LOOK:
            self._look(step, step.item)
        elif step.doing is Doing.CHANGE:
            self._change(step)
        elif step.doing is Doing.GIVEN:
            self.nozzles[step.head] = step.item
        return self.faults[before:]

    def _fault(self, kind: str, step: Step, slot: int, head: int) -> None:
        self.faults.append(Fault(kind, self.time_s, slot, head, self.nozzles[head], step.line))

    def person(self) -> None:
        """A person does what the machine waits for: strips and trays without a part in them are exchanged for full
        ones, a nozzle that was not in its place is found and put on.
        """
        if self._asked is not None:
            head, nozzle = self._asked
            self.nozzles[head], self._asked = nozzle, None
            self.missing -= {nozzle}
        for k, slot in enumerate(self.machine.slots):
            own = {(k, pocket) for pocket in range(slot.pockets)}
            if own <= self._empty:
                self._empty -= own

    def _pocket_at(self, step: Step, head: int) -> tuple[int, int] | None:
        """The slot and pocket that a head reaches into."""
        away = np.hypot(*(self._middles - self.tip(step, head)).T)
        near = int(np.argmin(away))
        reached = away[near] <= REACH_MM and abs(step.z - self.machine.pick_z) <= DEEP_MM
        return self._owners[near] if reached else None

    def _hold(self, step: Step, head: int) -> None:
        if self.nozzles[head] < 0:
            raise BadBlock(f"head {head + 1} has no nozzle to hold with")
        if self.held[head] is not None:
            raise BadBlock(f"head {head + 1} holds a part already")
        found = self._pocket_at(step, head)
        if found is None:
            self._fault("nothing there", step, -1, head)
            return
        slot, _ = found
        if found in self._empty:
            self._fault("empty", step, slot, head)
            self._fault("not picked", step, slot, head)
            return
        if self.machine.slots[slot].pockets > 1:
            self._empty.add(found)
        for _ in range(RETRIES + 1):
            if self._picks(step, slot, head):
                side = self._random.random() < self.chances.side
                if side:
                    self._fault("on its side", step, slot, head)
                self.held[head] = _Held(slot, step.turns[head], not side)
                return
            m = self.machine  # it tries again before it gives up
            self.time_s += m.times.pick + float(stroke_time(m, m.top_z, m.pick_z))
        self._fault("not picked", step, slot, head)

    def _picks(self, step: Step, slot: int, head: int) -> bool:
        """One try: a tape moves on, and a part comes or does not."""
        if self._jammed.get(slot, 0) > 0:
            self._jammed[slot] -= 1
            self._fault("jam", step, slot, head)
            return False
        if slot in self._pockets:
            if self._pockets[slot] <= 0:
                self._fault("empty", step, slot, head)
                return False
            self._pockets[slot] -= 1
        self.used[slot] = self.used.get(slot, 0) + 1
        if self.machine.slots[slot].kind == TAPE and self._random.random() < self.chances.jam:
            self._jammed[slot] = JAM_PICKS
        if self._random.random() < self.chances.miss:
            self._fault("missed", step, slot, head)
            return False
        return True

    def _look(self, step: Step, head: int) -> None:
        held = self.held[head]
        if held is not None and self._random.random() < self.chances.lost:
            self._fault("lost on the way", step, held.slot, head)
            self.held[head] = None
        elif held is not None and not held.good:
            self._fault("rejected", step, held.slot, head)
            self.held[head] = None

    def _let_go(self, step: Step, head: int) -> None:
        held, self.held[head] = self.held[head], None
        if held is None:
            return
        x, y = self.tip(step, head)
        turned = float(short_turn(step.turns[head] - held.turn))
        self.placed.append(Placed(held.slot, self.nozzles[head], head, x, y, step.z, turned, self.time_s))

    def _change(self, step: Step) -> None:
        head, nozzle = step.head, step.item
        if self.held[head] is not None:
            raise BadBlock(f"head {head + 1} changes its nozzle with a part on it")
        if nozzle in self.missing:
            self._fault(NO_NOZZLE, step, -1, head)
            self._asked, nozzle = (head, nozzle), -1
        elif nozzle >= 0 and not self.machine.head_takes[head, nozzle]:
            raise BadBlock(f"nozzle {self.machine.nozzles[nozzle].name} does not fit head {head + 1}")
        elif nozzle >= 0 and nozzle in self.nozzles and self.nozzles.index(nozzle) != head:
            raise BadBlock(f"nozzle {self.machine.nozzles[nozzle].name} is on head {self.nozzles.index(nozzle) + 1}")
        self.nozzles[head] = nozzle
