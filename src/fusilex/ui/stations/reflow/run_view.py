"""Runs at Reflow: the paste's window as rooms and gates, the logged probes through them, and who was molten when."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QHBoxLayout

from fusilex.bench.boards import Load, panels_of, panels_words
from fusilex.bench.command import Command
from fusilex.bench.stations.reflow.commands import RecordReflow, SeeReflow, SendOn
from fusilex.bench.stations.reflow.judging import rule_of
from fusilex.bench.stations.reflow.loading import loaded_with
from fusilex.core.evidence import Level
from fusilex.core.problems import BadInput
from fusilex.core.quantities import RATE, write, write_fixed
from fusilex.core.reflow.record import trace_of
from fusilex.core.reflow.windows import ProcessWindow
from fusilex.formats.bundle import read_one
from fusilex.formats.lists.temperature_log import read_log
from fusilex.ui.desk import Desk
from fusilex.ui.stations.reflow.gate_chart import GateChart, Shown
from fusilex.ui.stations.reflow.joints_card import JointsCard
from fusilex.ui.tabbed import View
from fusilex.ui.widgets.keys import Key


class RunView(View):
    name = "Run"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._of: str | None = None
        self._unread = ""
        self.chart, self.joints = GateChart(Shown(self.window_rule)), JointsCard()
        row = QHBoxLayout()
        row.addWidget(self.chart, 3)
        row.addWidget(self.joints, 1)
        self.column.addLayout(row, 1)

    @property
    def window_rule(self) -> ProcessWindow:
        """The window of the board's own paste."""
        return rule_of(self.batch, self.bench.board)

    @property
    def _load(self) -> Load | None:
        return self.bench.board.loads.get(self.batch.step.id)

    def refresh(self) -> None:
        shown, load = self.chart.shown, self._load
        self.joints.show_load(load)
        shown.window, shown.title = self.window_rule, self._title()
        log = load.log if load else ""
        if self._of != log:
            self._of, self._unread, shown.traces = log, "", {}
            if load and log:
                try:
                    read = read_log(self.bench.journal.attachment(log), load.log_name)
                except BadInput as problem:
                    self._unread = str(problem)
                    return
                made = {name: trace_of(read.time_s, v) for name, v in read.probes_c.items()}
                shown.traces = {name: trace for name, trace in made.items() if trace is not None}
        self.chart.update()

    def _title(self) -> str:
        load = self._load
        if load is None:
            return f"The {self.window_rule.name} window as gates; the log of a run is drawn through them"
        name = f"Load {load.number}, {panels_words([*load.panels])}"
        if not load.log:
            return f"{name}, seen by eye: {load.seen}"
        if self._unread:
            return f"{name}. {self._unread}"
        untold = any(
            j.level is Level.UNKNOWN and j.rule.startswith("reflow") for j in self.bench.judgements(self.batch.step.id)
        )
        index = "not told by the record" if untold else "outside" if load.index is None else round(load.index)
        return f"{name}, {load.log_name}    window index {index}, up to 100 is inside"

    def keys(self) -> list[Key]:
        board, ask = self.bench.board, self.desk.ask
        send = Key("Space", "send the panel on", lambda _: self._do(SendOn(board.panel), "goes on", "go on"))
        return [
            *([send] if board.step == self.batch.step.id and self._load else []),
            Key("L", "open the run's log", lambda _: self._open(), True),
            Key(
                "V",
                "ran without a log",
                lambda _: ask("What did you see? All joints shiny, …", self._seen),
                True,
            ),
            Key("P", "next panel", lambda _: self.next_panel()),
        ]

    def _open(self) -> None:
        self.desk.choose_file(
            f"Log of the run with panel {self.bench.board.panel}",
            "Temperature logs (*.csv *.txt *.tsv);;All files (*)",
            self.record,
        )

    def record(self, name: str) -> None:
        """Record a run from a log file for the panel in hand."""
        try:
            data = read_one(Path(name))
        except BadInput as problem:
            self.desk.say(str(problem))
            return
        self._do(RecordReflow(self.bench.board.panel, Path(name).name, data), "is on record", "are on record")

    def _seen(self, text: str) -> None:
        self._do(SeeReflow(self.bench.board.panel, text), "was seen by eye", "were seen by eye")

    def _do(self, command: Command, done: str, many: str) -> None:
        """Carry it out, and say whether the load goes on or stays."""
        serial, panels = self.bench.board.serial, panels_of(loaded_with(self.batch, self.bench.board))
        if self.desk.do(command):
            stays = self.bench.state.boards[serial].step == self.batch.step.id
            then = "; it stays until its stop is settled." if stays else f". {self.desk.went(serial)}"
            self.desk.say(f"{panels_words(panels).capitalize()} {done if len(panels) == 1 else many}{then}")
            self.go_on(serial)

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        rule = self.window_rule
        return f"{rule.name.capitalize()} window", [
            *self._untold(),
            ("soak band", f"{write_fixed(rule.soak_band[0], '°C', 0)} to {write_fixed(rule.soak_band[1], '°C', 0)}"),
            ("time in it", f"{rule.soak[0]:g} to {rule.soak[1]:g} s"),
            ("above melting", f"{rule.above_melting[0]:g} to {rule.above_melting[1]:g} s"),
            ("peak", f"{write_fixed(rule.peak[0], '°C', 0)} to {write_fixed(rule.peak[1], '°C', 0)}"),
            ("heating, cooling", f"up to {write(rule.heating[1], RATE)} and {write(rule.cooling[1], RATE)}"),
        ]

    def _untold(self) -> list[tuple[str, str]]:
        """Joints that no probe sat on are told where the run's settings are known."""
        load = self._load
        return [("other joints", "not told: keep settings")] if load and load.log and not load.joints else []
