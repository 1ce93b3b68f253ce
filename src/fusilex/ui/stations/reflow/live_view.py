"""A run live: measured over foretold, what to do now in large, alarms before a limit, what is seen marked by a key."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QCoreApplication, QTimer

from fusilex.bench.common.scales import STAND_IN
from fusilex.bench.now import Now
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.reflow.commands import RecordReflow, SeeReflow
from fusilex.bench.stations.reflow.judging import rule_of
from fusilex.bench.stations.reflow.live import LiveLog, advice, alarms
from fusilex.bench.stations.reflow.twin import Question, question
from fusilex.bench.workshop.records import Records, port_of
from fusilex.core.heat.predict import Predicted
from fusilex.core.heat.probes import ALL_SHINY, DOOR_OPEN, FIRST_SHINE
from fusilex.core.heat.sheet import COARSE_MM
from fusilex.core.reflow.record import Trace
from fusilex.core.units import show_temperature
from fusilex.devices.oven_world import OvenKind, OvenWorld
from fusilex.devices.thermometer import NoThermometer, SerialThermometer, SimulatedThermometer, Thermometer
from fusilex.journal.place import path_of
from fusilex.ui.desk import Desk
from fusilex.ui.search import Search
from fusilex.ui.stations.reflow.gate_chart import Shown
from fusilex.ui.stations.reflow.readout import Readout
from fusilex.ui.stations.reflow.twin_view import FORETELL_S, TwinChart
from fusilex.ui.tabbed import View
from fusilex.ui.units import Units
from fusilex.ui.widgets.keys import Key

TICK_MS, READ_S, FAST, BY_EYE = 250, 1.0, 20.0, "none"


class LiveView(View):
    name = "Live"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.chart, self.readout = TwinChart(Shown(rule_of(self.batch, self.bench.board))), Readout()
        self.column.addWidget(self.readout)
        self.column.addWidget(self.chart, 1)
        self.log: LiveLog | None = None
        self.port: Thermometer | None = None
        self.found: Predicted | None = None
        self.search: Search | None = None
        self.asked: Question | None = None
        self.panel = 0
        self.at_s, self.fast, self._left = 0.0, False, 0.0
        self.timer = QTimer(self)
        self.timer.setInterval(TICK_MS)
        self.timer.timeout.connect(lambda: self.tick(TICK_MS / 1000))

    @property
    def running(self) -> bool:
        return self.log is not None

    @property
    def by_eye(self) -> bool:
        return self.running and self.port is None

    # what is shown

    def refresh(self) -> None:
        shown, log = self.chart.shown, self.log
        shown.window = rule_of(self.batch, self.bench.board)
        shown.title = self._title()
        shown.traces, shown.hang, shown.running = {}, None, self.running
        if log is not None:
            self.chart.at_s = self.at_s
            for k, name in enumerate(log.names):
                t, c = log.curve(k)
                if len(t) > 1:
                    shown.traces[name] = Trace(t, c)
                if (foretold := self._foretold_at(name)) is not None:
                    shown.traces[f"{name} foretold"] = foretold
                    shown.hang = shown.hang or foretold
        self.readout.words = self._words()
        self.readout.update()
        self.chart.update()

    def _title(self) -> str:
        if not self.running:
            return "Enter starts the clock with the oven"
        return f"Panel {self.panel} in the oven, " + ("by eye" if self.by_eye else "measured over foretold")

    def _words(self) -> list[tuple[str, str]]:
        clock = f"{int(self.at_s) // 60}:{int(self.at_s) % 60:02d}"
        words = [("time", clock)]
        if self.log is not None:
            for k, name in enumerate(self.log.names[:2]):
                _, c = self.log.curve(k)
                slope = self.log.slope(k)
                words.append((name, show_temperature(float(c[-1]), Units.fahrenheit) if len(c) else "–"))
                if k == 0:
                    words.append(("°C/s", "–" if math.isnan(slope) else f"{slope:+.1f}"))
        return words

    def _foretold_at(self, name: str) -> Trace | None:
        """The curve that the twin foretells where a probe sits: its part's joints, else the mean of all."""
        if self.found is None:
            return None
        ref, _, cell = name.removeprefix("probe ").strip().partition("@")
        at = int(cell) - 1 if cell.isdecimal() else 0
        own = [k for k, j in enumerate(self.found.joints) if j.part == ref and j.cell == at]
        curves = self.found.run.watched[:, own or range(len(self.found.joints)), 0]
        return Trace(self.found.run.time, np.asarray(curves.mean(axis=1)))

    def next_minute(self, k: int) -> float | None:
        """Where a probe will be in a minute: what is foretold, shifted by what it is off now."""
        assert self.log is not None
        t, c = self.log.curve(k)
        foretold = self._foretold_at(self.log.names[k])
        if foretold is None or not len(t):
            return None
        now, then = np.interp([t[-1], t[-1] + 60], foretold.time, foretold.temperature)
        return float(then + (c[-1] - now))

    def now(self) -> Now | None:
        if self.search is not None:
            return Now("Foretelling the run", "It starts when that is done.")
        log = self.log
        if log is None:
            broke = self._broken()
            if broke is not None:
                return Now("A run broke off", f"{broke.name} holds what was logged. T takes it in, Enter begins anew.")
            return Now("Board in, door shut", "Enter starts clock and oven together. Never leave it alone.")
        if urgent := alarms(log, self.chart.shown.window):
            return Now(urgent[0], urgent[1] if len(urgent) > 1 else "")
        cooling = self.at_s > log.schedule.end
        title, detail = advice(log, self.at_s, cooling)
        ahead = self.next_minute(0) if log.names else None
        if ahead is not None and not cooling:
            detail = f"{detail} In a minute: {show_temperature(ahead, Units.fahrenheit)}.".strip()
        return Now(title, detail, min(1.0, self.at_s / max(1.0, log.schedule.end)))

    # keys

    def keys(self) -> list[Key]:
        if self.search is not None:
            return []
        if not self.running:
            taken = [Key("T", "take in the broken run", lambda _: self._take())] if self._broken() else []
            return [Key("Enter", "start", lambda _: self._start(), True), *taken]
        fast = [Key("F", "as it is" if self.fast else f"{FAST:g} times as fast", lambda _: self._faster())]
        return [
            Key("S", FIRST_SHINE, lambda _: self._mark(FIRST_SHINE)),
            Key("A", ALL_SHINY, lambda _: self._mark(ALL_SHINY)),
            Key("D", DOOR_OPEN, lambda _: self._mark(DOOR_OPEN)),
            Key("X", "end the run", lambda _: self.finish()),
            *(fast if isinstance(self.port, SimulatedThermometer) or self.by_eye else []),
        ]

    def _faster(self) -> None:
        self.fast = not self.fast
        self.desk.say("")

    def _mark(self, what: str) -> None:
        if self.log is not None:
            self.log.mark(self.at_s, what)
            self.desk.say(f"{what.capitalize()} at {int(self.at_s) // 60}:{int(self.at_s) % 60:02d}.")

    def _start(self) -> None:
        try:
            self.asked = asked = question(self.batch)
        except Refused as problem:
            self.desk.say(str(problem))
            return
        if asked.schedule is None:
            self.desk.say("No settings yet: O under Foretold finds some, or the oven's record has a curve.")
            return
        self.search = Search(lambda spent, seen: asked.foretold(), FORETELL_S)
        self.search.finished_with.connect(self._begin)
        self.search.failed.connect(self._failed)
        self.search.start()
        self.desk.say("")

    def _failed(self, text: str) -> None:
        if self.search is not None:
            self.search.wait()
        self.search = None
        self.desk.say(text)

    def _begin(self, found: Predicted) -> None:
        if self.search is not None:
            self.search.wait()
        self.search, self.found = None, found
        asked, board = self.asked, self.bench.board
        assert asked is not None and asked.schedule is not None
        self.panel, self.at_s, self._left = board.panel, 0.0, 0.0
        try:
            self.port = self._open(asked, found)
        except NoThermometer as problem:
            self.desk.say(str(problem))
            return
        names = list(self.port.names) if self.port else []
        self.log = LiveLog(names, asked.schedule, self._file())
        self.log.begin()
        if app := QCoreApplication.instance():
            app.aboutToQuit.connect(self.timer.stop)
        self.timer.start()
        self.desk.say("The clock runs.")

    def _open(self, asked: Question, found: Predicted) -> Thermometer | None:
        """The logger on record, its probes on the part that melts last and on the hottest; None: by eye."""
        last, hot = found.joints[found.last], found.joints[found.hottest]
        names = [f"{j.part}@{j.cell + 1}" for j in (last, hot)]
        port = port_of(self.batch.workshop[Records], "temperature")
        if not port or port == BY_EYE:
            return None
        if port != STAND_IN:
            return SerialThermometer(port, names)
        sheet, _, _ = asked.load(COARSE_MM)
        schedule = asked.schedule
        assert schedule is not None

        def told(t: float) -> tuple[float, float]:
            at = np.array([t])
            return float(schedule.set_at(at)[0]), float(schedule.door_at(at)[0])

        world = OvenWorld(sheet, told, OvenKind(), asked.oven.method == "dial oven", seed=self.panel)
        there = [n for n in names if (n.partition("@")[0], int(n.partition("@")[2]) - 1) in sheet.lumps.names]
        return SimulatedThermometer(world, there or [f"cell@{len(sheet) // 2}"])

    # the clock

    def tick(self, seconds: float) -> None:
        """Time goes on; a reading a second is taken down."""
        log = self.log
        if log is None:
            return
        self._left += seconds * (FAST if self.fast else 1.0)
        while self._left >= READ_S:
            self._left -= READ_S
            self.at_s += READ_S
            try:
                if self.port is not None:
                    self.port.pass_time(READ_S)
                    if (read := self.port.read()) is not None:
                        log.add(self.at_s, read)
            except NoThermometer as problem:
                self.port = None
                self.desk.say(f"{problem} Go on by eye.")
        self.refresh()
        self.desk.say(self.desk.said)

    def finish(self) -> None:
        """The run goes on record: its log, or, by eye, what was marked."""
        log, panel = self.log, self.panel
        if log is None:
            return
        self.timer.stop()
        self.log = None
        serial = self.bench.board.serial
        if len(log.rows) >= 10:
            done = self.desk.do(RecordReflow(panel, f"live-panel-{panel}.csv", log.csv()))
        else:
            done = self.desk.do(SeeReflow(panel, log.seen_words() or "ran by the clock, nothing marked"))
        if not done:
            self.log = log  # nothing is lost: what stands in the way is said, X tries again
            return
        if log.path is not None:
            log.path.unlink(missing_ok=True)
        self.desk.say(f"The run of panel {panel} is on record. {log.seen_words()}".strip())
        self.go_on(serial)

    # a run that broke off

    def _file(self) -> Path | None:
        """Where the run is kept while it goes on: beside the journal."""
        home = path_of(self.bench.journal.url)
        board = self.bench.board
        return home.parent / "live" / f"{self.bench.id}-{board.panel}-{self.batch.step.side}.csv" if home else None

    def _broken(self) -> Path | None:
        path = self._file()
        return path if path is not None and path.exists() else None

    def _take(self) -> None:
        path = self._broken()
        if path is None:
            return
        serial, panel = self.bench.board.serial, self.bench.board.panel
        if self.desk.do(
            RecordReflow(panel, path.name, path.read_bytes()), f"What was logged of panel {panel} is on record."
        ):
            path.unlink(missing_ok=True)
            self.go_on(serial)
