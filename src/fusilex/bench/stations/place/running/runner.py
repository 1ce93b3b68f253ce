"""A run of the machine, line by line over its port: what it was told, what it said, what is on the board by now."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Sequence

from msgspec import Struct, field

from fusilex.core.machine.calibrate import Timed
from fusilex.core.programme.job import Job
from fusilex.core.programme.plan import Act, Plan, Stop
from fusilex.devices.placer import PlacerPort
from fusilex.formats.written.gcode import Line

REJECTS = ("missed", "not picked", "empty", "jam", "on its side", "lost on the way", "nothing there")
LOST = ("not picked", "lost on the way", "rejected", "nothing there")
"""What leaves a head without its part."""
FASTEST_S = 0.03
"""Nothing picks or places in less: a nozzle goes down and up again."""


class Runner(Struct):
    """Sends the next line when the last one is done; `tick` takes in what the machine says. `steps` stops it after each
    stop of the beam until `go` is called.
    """

    job: Job
    plan: Plan
    lines: Sequence[Line]
    port: PlacerPort
    single: bool = False
    at: int = 0
    put: list[tuple[str, int]] = field(default_factory=list)
    tries: list[tuple[str, str, str, int, str]] = field(default_factory=list)
    faults: list[str] = field(default_factory=list)
    timed: list[Timed] = field(default_factory=list)
    clock: Callable[[], float] = time.monotonic
    said: str = ""
    state: str = "ready"
    _lost: set[int] = field(default_factory=set)
    _waiting: bool = False
    _sent_at: float = 0.0
    _disturbed: bool = True

    @property
    def stop(self) -> Stop | None:
        """The stop that is under way, or was last."""
        return next((s for _, s in reversed(self.lines[: self.at]) if s is not None), None)

    @property
    def share(self) -> float:
        return self.at / max(1, len(self.lines))

    def go(self) -> None:
        """Start, go on after a pause or a step."""
        if self.state == "paused":
            self.port.send("~")
        if self.state in ("ready", "paused", "stepped", "waiting"):
            if self.state == "waiting":
                self.port.send("~")
            begin = self.state != "paused"
            self.state = "running"
            if begin and not self._waiting:
                self._next()

    def pause(self) -> None:
        if self.state == "running":
            self.port.send("!")
            self.state, self._disturbed = "paused", True

    def halt(self) -> None:
        """Everything stops at once; what is on the board is on the board."""
        if self.state not in ("done", "stopped", "failed"):
            self.port.send("stop")
            self.state = "stopped"

    def speed(self, percent: int) -> None:
        self._disturbed = True
        self.port.send(f"%{percent}")

    def tick(self) -> None:
        """Take in what the machine has said since."""
        self.heard(self.port.lines())

    def heard(self, words: Iterable[str]) -> None:
        sent = self.at
        for word in words:
            if word == "ok" and (self.at != sent or self._too_soon()):
                self.state, self.said = "failed", "it says that a line is done before it can be"
                return
            if word == "ok":
                self._done()
            elif word.startswith("fault "):
                self._fault(word[len("fault ") :])
            elif word == "wait":
                self.state, self.said = "waiting", f"{self._asked()} Hands out, then go on."
            elif word.startswith("err "):
                self.state, self.said = "failed", word[len("err ") :]

    def _too_soon(self) -> bool:
        """True when no machine can have picked or placed since the line was sent."""
        stop = self.lines[self.at - 1][1] if self.at else None
        busy = self._waiting and stop is not None and stop.act in (Act.PICK, Act.PLACE)
        return busy and self.clock() - self._sent_at < FASTEST_S

    def _asked(self) -> str:
        """What the machine waits for."""
        stop, machine = self.stop, self.job.machine
        if stop is None or stop.act not in (Act.CHANGE, Act.PICK):
            return "Do what the machine asks."
        if stop.act is Act.PICK:
            slot = machine.slots[self.plan.slot[self.job.line[stop.item]]]
            return f"The {slot.kind} in slot {slot.name} is empty: put a full one in."
        if stop.item < 0:
            return f"Take the nozzle off head {machine.heads[stop.head].name}."
        return f"Put nozzle {machine.nozzles[stop.item].name} on head {machine.heads[stop.head].name}."

    def _next(self) -> None:
        if self.at >= len(self.lines):
            self.state = "done"
            return
        text, _ = self.lines[self.at]
        self.at += 1
        self._waiting = True
        self._sent_at = self.clock()
        self.port.send(text)

    def _done(self) -> None:
        if not self._waiting:
            return
        self._waiting = False
        stop = self.lines[self.at - 1][1]
        self._time(stop)
        if stop is not None and stop.act is Act.PICK:
            self._try(stop, "")
        elif stop is not None and stop.act is Act.PLACE:
            if stop.head not in self._lost:
                self.put.append(self.job.labels[stop.item])
            self._lost.discard(stop.head)
        if self.state in ("stopped", "failed"):
            return
        if self.single and stop is not None:
            self.state = "stepped"
        elif self.state == "running":
            self._next()

    def _time(self, stop: Stop | None) -> None:
        """How long a stop took, where nothing came between."""
        before = next((s for _, s in reversed(self.lines[: self.at - 1]) if s is not None), None)
        if stop is not None and before is not None and not self._disturbed and stop.act is not Act.PARK:
            dx, dy = stop.at[0] - before.at[0], stop.at[1] - before.at[1]
            self.timed.append(Timed(stop.act.value, dx, dy, self.clock() - self._sent_at))
        self._disturbed = False

    def _fault(self, text: str) -> None:
        """``KIND slot N head N``: a reject of the part that the head carries, or was to pick."""
        kind, _, where = text.partition(" slot ")
        slot, _, number = where.partition(" head ")
        head = int(number) - 1 if number.isascii() and number.isdecimal() else -1
        self.faults.append(self._named(kind, int(slot) - 1 if slot.isascii() and slot.isdecimal() else -1, head))
        self._disturbed = True
        stop = self._carried(head)
        if stop is None:
            return
        if kind in LOST:
            self._lost.add(head)
        if kind in REJECTS and kind != "not picked":
            self._try(stop, kind)

    def _named(self, kind: str, slot: int, head: int) -> str:
        """A fault by the names that slots and heads have here."""
        slots, heads = self.job.machine.slots, self.job.machine.heads
        words = [kind, *([f"slot {slots[slot].name}"] if 0 <= slot < len(slots) else [])]
        return ", ".join([*words, *([f"head {heads[head].name}"] if 0 <= head < len(heads) else [])])

    def _carried(self, head: int) -> Stop | None:
        """The pick by which a head came to what it carries."""
        picks = (s for _, s in reversed(self.lines[: self.at]) if s is not None and s.act is Act.PICK)
        return next((s for s in picks if s.head == head), None)

    def _try(self, stop: Stop, seen: str) -> None:
        machine = self.job.machine
        line = self.job.line[stop.item]
        nozzle = self.plan.trips[stop.trip].nozzles[stop.head]
        ref, cell = self.job.labels[stop.item]
        if not seen and stop.head in self._lost:
            return  # it was counted as the reject it was
        self.tries.append((machine.slots[self.plan.slot[line]].name, machine.nozzles[nozzle].name, ref, cell, seen))
