"""A run live: measured over predicted, what to do now in large, alarms before a limit, what is seen marked by a key."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QCoreApplication, QTimer
from PyQt6.QtWidgets import QHBoxLayout

from fusilex.bench.boards import panels_of
from fusilex.bench.now import Now
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.reflow.commands import RecordReflow, SeeReflow
from fusilex.bench.stations.reflow.cooling import solid_and_cool
from fusilex.bench.stations.reflow.judging import rule_of
from fusilex.bench.stations.reflow.live import LiveLog, advice, alarms, cools
from fusilex.bench.stations.reflow.loading import loaded_with
from fusilex.bench.stations.reflow.twin import Question, oven_of, question
from fusilex.core.heat.oven import OVENS, PLATE
from fusilex.core.heat.predict import Predicted
from fusilex.core.heat.probes import ALL_SHINY, DOOR_OPEN, FIRST_SHINE, HEAT_OFF
from fusilex.core.heat.schedule import steps_of
from fusilex.core.heat.ties import Shine, shine_of, tied
from fusilex.core.problems import BadInput
from fusilex.core.quantities import write_celsius, write_fixed
from fusilex.core.reflow.record import Trace
from fusilex.core.units import clock
from fusilex.devices.thermometer import NoThermometer, SimulatedThermometer, Thermometer
from fusilex.ui.desk import Desk
from fusilex.ui.search import Aside
from fusilex.ui.stations.reflow.gate_chart import Shown
from fusilex.ui.stations.reflow.live_file import NOTHING_SEEN, file_of, goes_on, left_behind, taken_in
from fusilex.ui.stations.reflow.live_port import open_port
from fusilex.ui.stations.reflow.live_traces import live_traces, predicted_of
from fusilex.ui.stations.reflow.settings_list import SettingsList
from fusilex.ui.stations.reflow.twin_view import TwinChart
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.keys import Key
from fusilex.ui.widgets.readout import Readout

TICK_MS, READ_S, FAST = 250, 1.0, 20.0


class LiveView(View):
    name = "Live"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.chart, self.readout = TwinChart(Shown(rule_of(self.batch, self.bench.board))), Readout()
        self.list = SettingsList()
        self.list.setMaximumWidth(round(theme.base * 30))
        row = QHBoxLayout()
        row.addWidget(self.chart, 3)
        row.addWidget(self.list, 1)
        self.column.addWidget(self.readout)
        self.column.addLayout(row, 1)
        self.log: LiveLog | None = None
        self.port: Thermometer | None = None
        self.found: Predicted | None = None
        self.shine: Shine | None = None
        self.predicted: dict[str, Trace] = {}
        self.aside = Aside(self, desk.say)
        self.asked: Question | None = None
        self.panel, self.beside = 0, list[int]()
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
            shown.traces, shown.hang = live_traces(log, self.predicted)
        self._show_steps()
        self.readout.words = self._words()
        self.readout.update()
        self.chart.update()

    def _show_steps(self) -> None:
        """What hands turn, one below the other, with what is seen about then; a controller needs no list."""
        log = self.log
        by_hand = log is not None and not log.schedule.curve
        self.list.setVisible(by_hand)
        if log is not None and by_hand:
            seen = tied(steps_of(log.schedule), self.shine) if self.shine else ()
            self.list.show_steps(log.schedule, self.at_s, seen)

    def _title(self) -> str:
        if not self.running:
            return "Enter starts the clock with the heat"
        where = "on the plate" if self.batch.step.method == PLATE else "in the oven"
        return f"Panel {self.panel} {where}, " + ("by eye, as predicted" if self.by_eye else "measured over predicted")

    def _words(self) -> list[tuple[str, str]]:
        words = [("time", clock(self.at_s))]
        if self.log is not None:
            for k, name in enumerate(self.log.names[:2]):
                _, c = self.log.curve(k)
                slope = self.log.slope(k)
                words.append((name, write_celsius(float(c[-1])) if len(c) else "–"))
                if k == 0:
                    words.append(("°C/s", "–" if math.isnan(slope) else f"{slope:+.1f}"))
            if cools(self.log, self.at_s, self.shine):
                solid, cool = ("–" if math.isnan(s) else clock(s) for s in self._left_s(self.log))
                words += [("solid in", solid), ("touch in", cool)]
        return words

    def next_minute(self, k: int) -> float | None:
        """Where a probe will be in a minute: what is predicted, shifted by what it is off now."""
        assert self.log is not None
        t, c = self.log.curve(k)
        predicted = self.predicted.get(f"{self.log.names[k]} predicted")
        if predicted is None or not len(t):
            return None
        now, then = np.interp([t[-1], t[-1] + 60], predicted.time, predicted.temperature)
        return float(then + (c[-1] - now))

    def now(self) -> Now | None:
        if self.aside.busy:
            return Now("Predicting the run", "It starts when that is done.")
        log = self.log
        if log is None:
            broke = self._broken()
            if broke is None:
                return self._before()
            if goes_on(broke):
                return Now(f"Panel {self.bench.board.panel} is in the oven", "Another window holds its clock.")
            return Now("A run broke off", f"{broke.name} holds what was logged. T takes it in, Enter begins anew.")
        if urgent := alarms(log, self.chart.shown.window):
            return Now(urgent[0], urgent[1] if len(urgent) > 1 else "")
        cooling = cools(log, self.at_s, self.shine)
        title, detail = advice(log, self.at_s, self.shine, self._left_s(log))
        ahead = self.next_minute(0) if log.names else None
        if ahead is not None and not cooling:
            detail = f"{detail} In a minute: {write_fixed(ahead, '°C', 0)}.".strip()
        return Now(title, detail, min(1.0, self.at_s / max(1.0, log.schedule.end)))

    def _before(self) -> Now:
        """What comes first: an oven that nobody logged is learnt with a panel that costs nothing."""
        oven = oven_of(self.batch)
        new = oven is not None and not oven.proven
        learn = " No log proves its twin: a scrap panel and a probe first, then K under Predicted." if new else ""
        title = "Board on, plate cold" if self.batch.step.method == PLATE else "Board in, door shut"
        return Now(title, f"Enter starts clock and heat together. Never leave it alone.{learn}")

    def _left_s(self, log: LiveLog) -> tuple[float, float]:
        """Seconds until all is solid, and cool enough for hands."""
        return solid_and_cool(log, self.at_s, self.chart.shown.window.melting, self.found)

    # keys

    def keys(self) -> list[Key]:
        if self.aside.busy:
            return []
        if not self.running:
            taken = (
                [Key("T", "take in the broken run", lambda _: self._take())]
                if (broke := self._broken()) and not goes_on(broke)
                else []
            )
            return [Key("Enter", "start", lambda _: self._start(), True), *taken]
        fast = [Key("F", "as it is" if self.fast else f"{FAST:g} times as fast", lambda _: self._faster())]
        return [
            Key("S", FIRST_SHINE, lambda _: self._mark(FIRST_SHINE)),
            Key("A", ALL_SHINY, lambda _: self._mark(ALL_SHINY)),
            Key("H", HEAT_OFF, lambda _: self._mark(HEAT_OFF)),
            *([Key("D", DOOR_OPEN, lambda _: self._mark(DOOR_OPEN))] if self.batch.step.method in OVENS else []),
            Key("X", "end the run", lambda _: self.finish()),
            *(fast if isinstance(self.port, SimulatedThermometer) or self.by_eye else []),
        ]

    def _faster(self) -> None:
        self.fast = not self.fast
        self.desk.say("")

    def _mark(self, what: str) -> None:
        if self.log is not None:
            self.log.mark(self.at_s, what)
            self.desk.say(f"{what.capitalize()} at {clock(self.at_s)}.")

    def _marked(self) -> dict[str, float]:
        """What was marked so far, and when."""
        return {what: t for t, what in self.log.marks} if self.log else {}

    def _start(self) -> None:
        try:
            self.asked = asked = question(self.batch)
        except Refused as problem:
            self.desk.say(str(problem))
            return
        if asked.schedule is None:
            self.desk.say("No settings yet: O under Predicted finds some, or the oven's record has a curve.")
            return
        if (other := self._broken()) is not None and goes_on(other):
            self.desk.say("Another window runs this panel: its clock is written down each second.")
            return
        self.aside.look(asked.predicted, self._begin)
        self.desk.say("")

    def _begin(self, found: Predicted) -> None:
        self.found, self.shine = found, shine_of(found)
        asked, board = self.asked, self.bench.board
        assert asked is not None and asked.schedule is not None
        self.panel, *self.beside = panels_of(loaded_with(self.batch, board))
        self.at_s = self._left = 0.0
        try:
            self.port = open_port(self.batch, asked, found, self.panel, self._marked)
        except NoThermometer as problem:
            self.desk.say(str(problem))
            return
        names = list(self.port.names) if self.port else []
        self.predicted = predicted_of(found, names)
        self.log = LiveLog(names, asked.schedule, file_of(self.bench, self.batch.step.side))
        self.log.begin()
        if app := QCoreApplication.instance():
            app.aboutToQuit.connect(self.timer.stop)
        self.timer.start()
        self.desk.say("The clock runs.")

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
                if self.port is None:
                    log.add(self.at_s, [math.nan] * len(log.names))  # what it was told, by the clock
                    continue
                self.port.pass_time(READ_S)
                if (read := self.port.read()) is not None:
                    log.add(self.at_s, read)
            except NoThermometer as problem:
                self.port = None
                self.desk.say(f"{problem} Go on by eye.")
        urgent = alarms(log, self.chart.shown.window)
        if urgent and not self.isVisible():
            self.desk.say(f"Panel {self.panel} in the oven: {urgent[0]}")  # whoever looks elsewhere hears of it
        else:
            self.desk.ticked.emit()

    def finish(self) -> None:
        """The run goes on record: its log, or, by eye, what was marked."""
        log, panel = self.log, self.panel
        if log is None:
            return
        self.timer.stop()
        self.log = None
        serial = self.bench.board.serial
        named, seen = f"live-panel-{panel}.csv", log.seen_words() or NOTHING_SEEN
        kind, words = (RecordReflow, named) if log.measured else (SeeReflow, seen)
        if not self.desk.do(kind(panel, words, log.csv(), self.beside)):
            self.log = log  # nothing is lost: what stands in the way is said, X tries again
            return
        if log.path is not None:
            log.path.unlink(missing_ok=True)
        self.desk.say(f"The run of panel {panel} is on record. {log.seen_words()}".strip())
        self.go_on(serial)

    # a run that broke off

    def _broken(self) -> Path | None:
        return left_behind(self.bench, self.batch.step.side)

    def _take(self) -> None:
        path = self._broken()
        if path is None:
            return
        serial, panel = self.bench.board.serial, self.bench.board.panel
        try:
            taken = taken_in(path, panel)
        except BadInput as problem:
            self.desk.say(str(problem))
            return
        if self.desk.do(taken, f"What was logged of panel {panel} is on record."):
            path.unlink(missing_ok=True)
            self.go_on(serial)
