"""What the oven's twin predicts: settings, the run they make, who melts when, the board as heat has it."""

from __future__ import annotations

from collections.abc import Callable

import msgspec
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout

from fusilex.bench.common.heat.predicted import judge_predicted
from fusilex.bench.common.records import SetRecord
from fusilex.bench.now import Now
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.reflow.judging import OF_A_RUN, rule_of
from fusilex.bench.stations.reflow.twin import (
    KeepSettings,
    Question,
    SetLoadSize,
    logs_of,
    other_school,
    oven_body,
    question,
)
from fusilex.core.heat.fit import Fitted
from fusilex.core.heat.margins import helps, margins
from fusilex.core.heat.plan import Planned
from fusilex.core.heat.predict import Predicted
from fusilex.core.heat.schedule import steps_of
from fusilex.core.heat.ties import shine_of, tied
from fusilex.core.judgement import Judgement, worst_first
from fusilex.core.quantities import write_celsius
from fusilex.core.reflow.record import Trace
from fusilex.core.units import begun, clock
from fusilex.ui.desk import Desk
from fusilex.ui.search import Search, Work
from fusilex.ui.stations.reflow.gate_chart import GateChart, Shown
from fusilex.ui.stations.reflow.settings_list import SettingsList
from fusilex.ui.stations.reflow.twin_words import facts_of, watch_words
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.chart import Chart
from fusilex.ui.widgets.heat_map import HeatMap
from fusilex.ui.widgets.keys import Key

MOST_BARS, CURSOR_S, FINE_S = 4, 10.0, 1.0
PLAN_S, FIT_S, PREDICT_S = 30.0, 20.0, 5.0


class TwinChart(GateChart):
    """The gates with what is predicted through them, and a line at the moment that is looked at."""

    at_s = 0.0

    def over(self, painter: QPainter, chart: Chart) -> None:
        x = chart.x(self.at_s)
        painter.setPen(QPen(theme.colour("ink"), 1.5))
        painter.drawLine(QPointF(x, chart.area.top()), QPointF(x, chart.area.bottom()))


class TwinView(View):
    name = "Predicted"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.chart = TwinChart(Shown(rule_of(self.batch, self.bench.board)))
        self.map, self.list = HeatMap(), SettingsList()
        row = QHBoxLayout()
        row.addWidget(self.chart, 3)
        side = QVBoxLayout()
        side.addWidget(self.map, 1)
        side.addWidget(self.list, 1)
        row.addLayout(side, 2)
        self.column.addLayout(row, 1)
        self.asked: Question | None = None
        self.trouble = ""
        self.found: Predicted | None = None
        self.judged: list[Judgement] = []
        self.search: Search | None = None
        self.doing = self.words = ""
        self.cannot: Planned | None = None
        self._seen: object = None

    # what is shown

    def refresh(self) -> None:
        state = self.batch.state
        seen = self.bench.board.panel, self.batch.step.id, state.last_id, self.batch.workshop.last_id
        if seen != self._seen and self.search is None:
            self._seen, self.found, self.asked, self.trouble = seen, None, None, ""
            try:
                self.asked = question(self.batch)
            except Refused as problem:
                self.trouble = str(problem)
            if self.asked is not None and self.asked.schedule is not None:
                self._predict()
        self._show()

    def _show(self) -> None:
        shown, found = self.chart.shown, self.found
        shown.window = rule_of(self.batch, self.bench.board)
        shown.traces = self._traces(found) if found else {}
        shown.title = self._title()
        below = self.batch.step.side == "bottom"
        melting = shown.window.melting
        if found is None or self.asked is None:
            self.map.show_state(
                None, self.map.state, self.trouble or "Nothing predicted yet", below, shown.window.melting
            )
        else:
            sheet, _, _ = self.asked.load_fine
            run = found.run
            k = int(abs(run.frame_s - self.chart.at_s).argmin())
            title = f"The board after {clock(float(run.frame_s[k]))}"
            self.map.show_state(sheet, run.frames[k], title, below, melting)
        schedule = self.asked.schedule if self.asked else None
        by_hand = schedule is not None and not schedule.curve and found is not None
        seen = tied(steps_of(schedule), shine_of(found)) if by_hand and schedule and found else ()
        self.list.show_steps(schedule, self.chart.at_s, seen)
        self.chart.update()

    def _title(self) -> str:
        if self.found is None:
            return self.doing or self.trouble or "The window as gates; O finds settings that go through them"
        oven = self.asked.oven if self.asked else None
        runs = oven.fit.runs if oven else 0
        sure = f"fitted to {runs} run{'s' if runs != 1 else ''}" if runs else "never fitted: usual numbers of its kind"
        return f"Predicted for panel {self.bench.board.panel} in {oven.id if oven else 'the oven'}, {sure}"

    def _traces(self, found: Predicted) -> dict[str, Trace]:
        """Curves of the parts that melt last, each by its latest joint, and of the joint that gets hottest."""
        late = found.latest_parts(MOST_BARS)
        time = found.run.time
        curves = {f"{found.joints[k].part} in cell {found.joints[k].cell + 1}": k for k in late}
        hot = found.hottest
        curves.setdefault(f"{found.joints[hot].part} in cell {found.joints[hot].cell + 1}, hottest", hot)
        return {name: Trace(time, found.run.watched[:, k, 0]) for name, k in curves.items()}

    def now(self) -> Now | None:
        if self.search is not None:
            return Now(self.doing, "X takes what is found by now.", min(1.0, self.search.spent()))
        if self.asked is None:
            return Now("Nothing to predict", self.trouble)
        if self.asked.schedule is None:
            return Now(
                "Find settings", f"O looks for settings that bring every joint through the {self._window} window."
            )
        if (found := self.found) is None:
            return Now("Predicting the run")
        return watch_words(found, self.asked.oven.proven)

    @property
    def _window(self) -> str:
        return rule_of(self.batch, self.bench.board).name

    def judgements(self, own: list[Judgement]) -> list[Judgement]:
        """What is predicted in place of what the last run did: the picture shows no run."""
        predicted = self.judged if self.found is not None else []
        return worst_first([*predicted, *(j for j in own if j.rule not in OF_A_RUN)])

    # keys

    def keys(self) -> list[Key]:
        if self.search is not None:
            return [Key("X", "take what is found", lambda _: self._leave())]
        return [
            Key("O", "find settings", lambda _: self._plan()),
            Key("Left Right", f"{CURSOR_S:g} s", lambda key: self._move(-CURSOR_S if key == "Left" else CURSOR_S)),
            Key("K", "fit to the logs", lambda _: self._fit()),
            Key("N", "panels at once", lambda _: self.desk.ask("How many panels go in at once?", self._together)),
            Key("W", "other school", lambda _: self._other_school()),
            Key("P", "next panel", lambda _: self.next_panel()),
        ]

    def _move(self, by: float) -> None:
        end = float(self.found.run.time[-1]) if self.found else 600.0
        self.chart.at_s = min(max(self.chart.at_s + by, 0.0), end)
        self._show()

    def _start(self, doing: str, work: Work, seconds: float, then: Callable[..., None]) -> None:
        self.doing = doing
        self.search = Search(work, seconds)
        self.search.finished_with.connect(then)
        self.search.failed.connect(self._failed)
        self.search.start()
        self.desk.say("")

    def _leave(self) -> None:
        if self.search is not None:
            self.search.leave()

    def _end(self) -> None:
        if self.search is not None:
            self.search.wait()
        self.search, self.doing = None, ""

    def _failed(self, text: str) -> None:
        self._end()
        self.trouble = text
        self.desk.say(text)

    def _predict(self) -> None:
        asked = self.asked
        assert asked is not None
        self._start("Predicting the run", lambda spent, seen: asked.predicted(), PREDICT_S, self._predicted)

    def _predicted(self, found: Predicted) -> None:
        self._end()
        self.found = found
        if (asked := self.asked) is not None:
            about = f"panel {self.bench.board.panel}"
            self.judged = [judge_predicted(about, found, asked.window, asked.limits, asked.oven)]
        melts = found.molten.melts[found.last]
        self.chart.at_s = float(melts) if melts == melts else float(found.run.time[-1]) / 2
        self._show()
        if self.cannot is not None and self.asked is not None:
            rows, _ = margins(found, self.asked.window, self.asked.limits)
            self.words += " " + " ".join(helps(self.cannot, rows[0], self.asked.oven.method, self.asked.loading.copies))
        self.desk.say(self.words)
        self.words, self.cannot = "", None

    def _plan(self) -> None:
        if (asked := self.asked) is None:
            self.desk.say(self.trouble)
            return
        self._start("Looking for settings", lambda spent, seen: asked.planned(spent), PLAN_S, self._planned)

    def _planned(self, made: Planned) -> None:
        self._end()
        s = made.schedule
        proven = self.asked is not None and self.asked.oven.proven
        words = {
            True: "Every joint keeps the window, by every oven that this may be.",
            None: "The likeliest oven keeps the window; whether this one does, no log tells.",
            False: f"No settings keep the window: {made.worst[0]} at {made.worst[1].part} is worst.",
        }[None if made.possible and not proven else made.possible]
        keep = KeepSettings(list(s.times), list(s.settings), s.curve, [list(d) for d in s.door])
        self.words = f"{words} Index {100 * made.index:.0f}."
        self.cannot = made if made.possible is False else None
        self.desk.do(keep)

    def _together(self, text: str) -> None:
        if not text.strip().isdecimal():
            self.desk.say("A number of panels, such as 2.")
            return
        count = int(text.strip()[:4])
        self.desk.do(SetLoadSize(count), f"{count} panel{'s' if count > 1 else ''} at once.")

    def _other_school(self) -> None:
        try:
            sheet = other_school(self.batch)
        except Refused as problem:
            self.desk.say(str(problem))
            return
        self.desk.do(SetRecord("paste", msgspec.to_builtins(sheet)), f"{begun(sheet.id)} paste goes by {sheet.window}.")

    def _fit(self) -> None:
        asked, loads = self.asked, logs_of(self.batch)
        if asked is None or not loads:
            self.desk.say(self.trouble or "No run of this step has a log on record: open one under Run, with L.")
            return
        get = self.bench.journal.attachment
        logs = [(x.log_name or "marks.csv", get(x.log or x.marks)) for x in loads]
        by_eye = sum(not x.log for x in loads)
        doing = f"Fitting the oven to {len(logs)} run{'s' if len(logs) > 1 else ''}"
        work: Work = lambda spent, seen: (asked.fitted(logs, spent), len(logs) - by_eye, by_eye)  # noqa: E731
        self._start(doing, work, FIT_S * len(logs), self._fitted)

    def _fitted(self, fitted: tuple[Fitted, int, int]) -> None:
        asked, (found, runs, by_eye) = self.asked, fitted
        self._end()
        if asked is None:
            return
        untold = f", which leaves {len(found.untold)} of {len(found.names)} numbers open" if found.untold else ""
        of = "what was seen" if not runs else "that log" if runs == 1 else f"those {runs} logs"
        said = f"The twin is within {write_celsius(found.residual_c, 1)} of {of}{untold}."
        self.words = said
        self.desk.do(SetRecord("oven", oven_body(asked.oven, found, runs, by_eye)))

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        asked, found = self.asked, self.found
        if asked is None or found is None:
            return "Oven", [("on record", asked.oven.id if asked else "none for this step")]
        return begun(asked.oven.id), facts_of(asked, found)
