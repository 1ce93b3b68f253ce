"""A run of the machine as the bed shows it: the port opened, time going on, what was placed put on record."""

from __future__ import annotations

import time
from collections import defaultdict
from collections.abc import Callable
from contextlib import suppress

from PyQt6.QtCore import QCoreApplication, QObject, QTimer, pyqtSignal

from fusilex.bench.now import Now
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.place.machine import place_step
from fusilex.bench.stations.place.programmed import Task, kept_of, machine_from, placer_of, plan_of, task
from fusilex.bench.stations.place.running.commands import MachineRan
from fusilex.bench.stations.place.running.proving import judge_proof
from fusilex.bench.stations.place.running.runner import Runner
from fusilex.bench.stations.place.setup_events import SetUp
from fusilex.bench.workshop.placer import STAND_IN
from fusilex.core.programme.plan import Act, Stop, walk
from fusilex.devices.placer import NoPlacer, PlacerPort, SerialPlacer, SimulatedPlacer
from fusilex.devices.placer_world import Chances, World
from fusilex.formats.written.gcode import gcode_lines
from fusilex.ui.desk import Desk
from fusilex.ui.stations.place.bed import Bed
from fusilex.ui.stations.place.ribbon import Ribbon
from fusilex.ui.widgets.keys import Key

FRAME_MS, SLICE_S, KEEP_EVERY, FAST, SAY_EVERY_S = 16, 0.01, 6, 20.0, 0.5
OVER = ("done", "stopped", "failed")
_DOING = {Act.PICK: "Pick", Act.LOOK: "Look at", Act.PLACE: "Place"}
_TITLES = {
    "running": "Running",
    "paused": "Paused",
    "stepped": "One step done",
    "waiting": "The machine waits",
    "failed": "The run ended",
    "stopped": "Stopped",
    "done": "Done",
}


class LiveRun(QObject):
    """Begin one with `start`; `over` is told when it has ended, with what is to be said. A `dry` run is on tape:
    nothing that it places counts.
    """

    over = pyqtSignal(str)

    def __init__(self, desk: Desk, bed: Bed, ribbon: Ribbon, chances: Chances) -> None:
        super().__init__()
        self.desk, self.bed, self.ribbon, self.chances = desk, bed, ribbon, chances
        self.half, self.fast = False, False
        self.timer = QTimer(self)
        self.timer.setInterval(FRAME_MS)
        self.timer.timeout.connect(self.frame)

    def start(self, panel: int, single: bool) -> None:
        """Open the port and send the first line. Raises `Refused` or `NoPlacer`."""
        batch = self.desk.batch
        self.panel = panel
        self.dry = bool(batch.not_overruled(judge_proof(batch, panel)))
        kept = kept_of(batch)
        if kept is None:
            raise Refused("Find a programme first, with O.")
        left = task(batch, panel, left_only=not self.dry)
        plan = plan_of(left.job, kept)
        self.port = self._open(left)
        loaded = batch.state[SetUp].loaded.get(place_step(batch).id, {})
        at = {s.name: k for k, s in enumerate(left.job.machine.slots)}
        emptied = {at[name]: load.gone for name, load in loaded.items() if name in at}
        lines = list(gcode_lines(left.job, plan, f"{batch.name}, panel {panel}", emptied))
        self.runner = Runner(left.job, plan, lines, self.port, single)
        if isinstance(self.port, SimulatedPlacer):
            world = self.port.world
            self.runner.clock = lambda: world.time_s
        self._put = self._tries = 0
        self._not_kept = ""
        self._said = 0.0
        self._index = {label: i for i, label in enumerate(left.job.labels)}
        self._trips: dict[int, list[Stop]] = defaultdict(list)
        for stop in walk(left.job, plan, emptied):
            self._trips[stop.trip].append(stop)
        self.bed.show_job(left.job.machine, left.job, plan, self.bed.outlines, self.bed.loaded)
        self.bed.done = set()
        if app := QCoreApplication.instance():
            app.aboutToQuit.connect(self.halt)  # nobody would watch it
        self._told(self.runner.go)
        self.timer.start()
        self.desk.say("")

    def _told(self, tell: Callable[[], None]) -> None:
        """Tell the machine something; a line that broke ends the run."""
        try:
            tell()
        except NoPlacer as problem:
            self.runner.state, self.runner.said = "failed", str(problem).rstrip(".")

    def _open(self, left: Task) -> PlacerPort:
        batch, machine = self.desk.batch, left.job.machine
        bed = machine_from(placer_of(batch))  # as it is on record, whatever was taught
        port = placer_of(batch).port
        if not port:
            raise Refused(f"{machine.name} has no port. Enter it at its record with F4, or {STAND_IN} to simulate.")
        if port != STAND_IN:
            return SerialPlacer(port)
        at = {s.name: k for k, s in enumerate(machine.slots)}
        loaded = batch.state[SetUp].loaded.get(place_step(batch).id, {})
        held = {at[name]: load.left for name, load in loaded.items() if name in at}
        emptied = {k: loaded[name].gone % machine.slots[k].pockets for name, k in at.items() if name in loaded}
        return SimulatedPlacer(machine, World(bed, self.chances, seed=self.panel, left=held, emptied=emptied))

    def frame(self) -> None:
        """A sixtieth of a second of the machine's time, and what it said."""
        runner = self.runner
        if isinstance(self.port, SimulatedPlacer):
            self.advance(FRAME_MS / 1000 * (FAST if self.fast else 1.0))
        elif runner.state not in OVER:
            self._told(runner.tick)
        self._show()
        if runner.state in OVER or len(runner.put) - self._put >= KEEP_EVERY:
            self.keep()
        if runner.state in OVER:
            self._close()

    def advance(self, seconds: float) -> None:
        """The stand-in's time goes on, in slices small enough that the next line is sent when the last is done."""
        assert isinstance(self.port, SimulatedPlacer)
        left = seconds
        while left > 1e-9 and self.runner.state == "running":
            self.port.advance(min(left, SLICE_S))
            left -= SLICE_S
            self.runner.tick()

    def _show(self) -> None:
        stop = self.runner.stop
        self.bed.path = self._trips[stop.trip] if stop else []
        if isinstance(self.port, SimulatedPlacer):
            x, y, _ = self.port.at
            self.bed.beam = (x, y)
            self.bed.held = {h for h, part in enumerate(self.port.world.held) if part is not None}
            self.ribbon.at = self.port.world.time_s
        elif stop is not None:
            self.bed.beam = stop.at
        new = {self._index[label] for label in self.runner.put} - self.bed.done
        if new:
            self.bed.add_done(new)
        if time.monotonic() - self._said > SAY_EVERY_S or self.runner.state != "running":
            self._said = time.monotonic()
            self.desk.say(self.desk.said)
        self.bed.update()
        self.ribbon.update()

    def keep(self) -> None:
        """What was placed and tried since the last time goes on record, but for a dry run. What cannot be kept now is
        kept with the next.
        """
        put, tries = self.runner.put[self._put :], self.runner.tries[self._tries :]
        if (put or tries) and not self.dry:
            ran = MachineRan(self.panel, [list(p) for p in put], [list(t) for t in tries])
            if self.desk.do(ran) is None:
                self._not_kept = self.desk.said
                return
        self._not_kept = ""
        self._put, self._tries = len(self.runner.put), len(self.runner.tries)

    def _close(self) -> None:
        self.timer.stop()
        if self.runner.state == "failed":
            with suppress(NoPlacer):
                self.port.send("stop")
        if isinstance(self.port, SerialPlacer):
            self.port.close()
        runner = self.runner
        left = len(runner.job) - len(runner.put)
        if runner.state == "failed":
            kept = "None of it counts: it was a dry run." if self.dry else "They are on record."
            self.over.emit(
                f"The run ended: {runner.said}. {len(runner.put)} of {len(runner.job)} parts are placed."
                f" {self._not_on_record() or kept} If the machine still moves, press its own stop before you reach in."
            )
        elif self.dry and runner.state == "stopped":
            self.over.emit(f"The dry run was stopped after {len(runner.put)} of {len(runner.job)} parts.")
        elif self.dry:
            self.over.emit("The dry run is done: look at every part, under Proof.")
        else:
            more = f", {left} left for the hand: M at Place." if left else "."
            self.over.emit(f"{len(runner.put)} placed{more} {self._not_on_record()}".strip())

    def _not_on_record(self) -> str:
        missing = [f"{ref} in cell {cell}" for ref, cell in self.runner.put[self._put :]]
        if not self._not_kept:
            return ""
        return f"Not on record: {', '.join(missing) or 'what was tried'}. {self._not_kept}"

    # keys

    def keys(self) -> list[Key]:
        running, simulated = self.runner.state == "running", isinstance(self.port, SimulatedPlacer)
        return [
            Key("Space", "pause" if running else "go on", lambda _: self.pause_or_go()),
            Key("S", "one step", lambda _: self._step()),
            Key("H", "full speed" if self.half else "half speed", lambda _: self._half()),
            *(
                [Key("F", "as it is" if self.fast else f"{FAST:g} times as fast", lambda _: self._faster())]
                if simulated
                else []
            ),
            Key("X", "stop", lambda _: self.halt()),
        ]

    def pause_or_go(self) -> None:
        self.runner.single = False
        if self.runner.state == "running":
            self._told(self.runner.pause)
            self.keep()
        else:
            self._told(self.runner.go)
        self.desk.say("")

    def _step(self) -> None:
        self.runner.single = True
        self._told(self.runner.go)
        self.desk.say("")

    def _half(self) -> None:
        self.half = not self.half
        self._told(lambda: self.runner.speed(50 if self.half else 100))
        self.desk.say("")

    def _faster(self) -> None:
        self.fast = not self.fast
        self.desk.say("")

    def halt(self) -> None:
        """Stop at once."""
        if self.timer.isActive() or self.runner.state not in OVER:
            self._told(self.runner.halt)
            self.frame()

    def now(self) -> Now:
        runner = self.runner
        stop, what = runner.stop, runner.said
        if not what and stop is not None and stop.item >= 0 and stop.act is not Act.CHANGE:
            ref, cell = runner.job.labels[stop.item]
            head = runner.job.machine.heads[stop.head].name
            what = f"{_DOING[stop.act]} {ref} in cell {cell} with head {head}."
        if runner.faults:
            what += f" {len(runner.faults)} faults, the last: {runner.faults[-1]}."
        if self.dry:
            what += " Dry run, on tape."
        title = _TITLES.get(runner.state, "Ready")
        real = "SIMULATED. " if isinstance(self.port, SimulatedPlacer) else ""
        return Now(f"{real}{title}: {len(runner.put)} of {len(runner.job)} placed", what.strip(), runner.share)
