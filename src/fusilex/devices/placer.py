"""The port of a placing machine: lines of text, whichever machine is behind it.

A block of a programme is answered by ``ok`` when it is done, ``fault KIND slot N head N`` for what went wrong on the
way, ``wait`` where the machine waits for the person, ``err N SENTENCE`` for a block it does not do. ``?`` asks where it
is, ``!`` pauses, ``~`` goes on, ``%50`` sets the speed (per cent), ``stop`` ends everything at once.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator
from contextlib import suppress
from typing import Protocol

from fusilex.core.machine.controller import Controller, Doing, Step
from fusilex.core.machine.model import Machine
from fusilex.core.machine.rs274 import BadBlock, Reader
from fusilex.devices.placer_world import NO_NOZZLE, World
from fusilex.devices.serial_line import LineBroken, SerialLine


class NoPlacer(Exception):
    """The machine does not answer; the sentence says why."""


class PlacerPort(Protocol):
    """What the bench asks of a placing machine."""

    def send(self, text: str) -> None:
        """A line to the machine."""

    def lines(self) -> list[str]:
        """What it has said since."""


class SimulatedPlacer:
    """A stand-in: obeys blocks in its own time, which passes by `advance`; speaks as a real one does."""

    def __init__(self, machine: Machine, world: World) -> None:
        self.machine, self.world = machine, world
        self.reader, self.controller = Reader(), Controller(machine)
        self.paused, self.waiting, self.ended, self.rate = False, False, False, 1.0
        self.line = 0
        self._out: list[str] = []
        self._queue: deque[tuple[int, str]] = deque()
        self._steps: Iterator[Step] | None = None
        self._now: Step | None = None
        self._from = (*self.machine.park, self.machine.top_z)
        self._left = 0.0

    def send(self, text: str) -> None:
        word = text.strip()
        if word == "?":
            self._out.append(self._where())
        elif word == "!":
            self.paused = True
        elif word == "~":
            if self.waiting:
                self.world.person()
            self.paused = self.waiting = False
        elif word.startswith("%") and word[1:].isascii() and word[1:].isdigit() and 1 <= int(word[1:]) <= 100:
            self.rate = int(word[1:]) / 100
        elif word == "stop":
            self._queue.clear()
            self._steps, self._now, self._left, self.ended = None, None, 0.0, True
            self._out.append("stopped")
        elif self.ended:
            self._out.append(f"err {self.line} the machine was stopped")
        else:
            self.line += 1
            self._queue.append((self.line, text))

    def lines(self) -> list[str]:
        said, self._out = self._out, []
        return said

    @property
    def idle(self) -> bool:
        """Nothing is being done and nothing waits to be."""
        return self._steps is None and not self._queue

    @property
    def at(self) -> tuple[float, float, float]:
        """Beam and tip height now (mm), straight between the ends of the move under way."""
        step = self._now
        if step is None or step.seconds <= 0:
            return self.controller.x, self.controller.y, self.controller.z
        share = 1 - self._left / step.seconds
        share = share * share * (3 - 2 * share)  # starts and ends at rest
        x, y, z = self._from
        return x + (step.x - x) * share, y + (step.y - y) * share, z + (step.z - z) * share

    def advance(self, seconds: float) -> None:
        """The machine's own time goes on."""
        left = seconds * self.rate
        while left > 0 and not self.paused and not self.waiting and not self.ended:
            if self._now is not None:
                used = min(left, self._left)
                left -= used
                self._left -= used
                if self._left > 1e-12:
                    return
                self._finish(self._now)
            elif not self._next():
                return

    def _next(self) -> bool:
        """Begin the next step, of this block or the next; False when there is nothing to do."""
        while True:
            if self._steps is None:
                if not self._queue:
                    return False
                number, text = self._queue.popleft()
                self._steps = self._obeyed(number, text)
            try:
                self._from = (self.controller.x, self.controller.y, self.controller.z)
                self._now = next(self._steps)
            except StopIteration:
                self._steps = None
                continue
            self._left = self._now.seconds
            return True

    def _obeyed(self, number: int, text: str) -> Iterator[Step]:
        try:
            for block in self.reader.feed(text):
                yield from self.controller.obey(block)
        except BadBlock as problem:
            self._out.append(f"err {number} {problem}")
            return
        self._out.append("ok")

    def _finish(self, step: Step) -> None:
        self._now = None
        try:
            found = self.world.happen(step)
        except BadBlock as problem:
            self._out.append(f"err {self.line} {problem}")
            self._steps = None
            return
        for fault in found:
            self._out.append(f"fault {fault.kind} slot {fault.slot + 1} head {fault.head + 1}")
        if step.doing is Doing.WAIT or any(fault.kind == NO_NOZZLE for fault in found):
            self.waiting = True
            self._out.append("wait")
        elif step.doing is Doing.END:
            self._out.append("end")

    def _where(self) -> str:
        x, y, z = self.at
        doing = "paused" if self.paused else "waiting" if self.waiting else "idle" if self.idle else "running"
        nozzles = " ".join(str(n + 1) for n in self.world.nozzles)
        return f"at {x:.3f} {y:.3f} {z:.3f} {doing} t {self.world.time_s:.3f} nozzles {nozzles}"


class SerialPlacer:
    """A machine on a serial line that speaks the same."""

    def __init__(self, port: str, baud: int = 115200) -> None:
        """Open a port such as ``/dev/ttyACM0``. Raises `NoPlacer` when it cannot be opened."""
        try:
            self._line = SerialLine(port, baud)
        except LineBroken as problem:
            raise NoPlacer(f"No machine: {problem}.") from problem

    def send(self, text: str) -> None:
        try:
            self._line.write(text)
        except LineBroken as problem:
            raise NoPlacer(f"The machine does not answer: {problem}.") from problem

    def lines(self) -> list[str]:
        try:
            return self._line.lines()
        except LineBroken as problem:
            raise NoPlacer(f"The machine does not answer: {problem}.") from problem

    def close(self) -> None:
        with suppress(LineBroken):
            self._line.close()


def run_through(text: str, machine: Machine, world: World) -> Iterator[Step]:
    """Every step of a programme (text) at once; a person is there whenever it waits. Raises `BadBlock` with the number
    of the line.
    """
    reader, controller = Reader(), Controller(machine)
    number = 0
    try:
        for line in text.splitlines():
            number += 1
            for block in reader.feed(line):
                for step in controller.obey(block):
                    found = world.happen(step)
                    if step.doing is Doing.WAIT or any(fault.kind == NO_NOZZLE for fault in found):
                        world.person()
                    yield step
                    if step.doing is Doing.END:
                        return
        reader.finish()
    except BadBlock as problem:
        raise BadBlock(f"line {number}: {problem}") from problem
