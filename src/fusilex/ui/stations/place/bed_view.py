"""The machine: its bed, the programme found for it, and the run of a panel, live."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtGui import QResizeEvent

from fusilex.bench.common.records import SetRecord
from fusilex.bench.now import Now
from fusilex.bench.programme.programming import usual_seconds
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.place.calibrating import calibrated_record
from fusilex.bench.stations.place.machine import place_step
from fusilex.bench.stations.place.programmed import (
    Task,
    kept_of,
    lying,
    machine_of,
    placer_of,
    plan_of,
    rows_of,
    task,
)
from fusilex.bench.stations.place.references import fits
from fusilex.bench.stations.place.running.proving import judge_proof
from fusilex.bench.stations.place.setup import ChooseMachine, KeepProgramme
from fusilex.bench.stations.place.setup_events import SetUp
from fusilex.bench.workshop.placer import Placer
from fusilex.bench.workshop.records import Records
from fusilex.core.machine.calibrate import Timed
from fusilex.core.programme.job import Job
from fusilex.core.programme.optimise import Found, optimise
from fusilex.core.programme.plan import Plan
from fusilex.devices.placer import NoPlacer
from fusilex.devices.placer_world import Chances
from fusilex.ui.desk import Desk
from fusilex.ui.search import Search
from fusilex.ui.stations.place.bed import Bed, outlines_of
from fusilex.ui.stations.place.bed_edit import BedEdit
from fusilex.ui.stations.place.live_run import LiveRun
from fusilex.ui.stations.place.programme_out import fill_template, write_programme, write_sheet
from fusilex.ui.stations.place.ribbon import Ribbon
from fusilex.ui.stations.place.row_dialog import RowDialog
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.keys import Key

ROOM = 26.0


class BedView(View):
    name = "Machine"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.bed, self.ribbon = Bed(), Ribbon()
        self.column.addWidget(self.bed, 1)
        self.column.addWidget(self.ribbon)
        self.task: Task | None = None
        self.plan: Plan | None = None
        self.search: Search | None = None
        self.sought: Job | None = None
        self.so_far = ""
        self.run: LiveRun | None = None
        self.edit: BedEdit | None = None
        self.timed: list[Timed] = []
        self.chances = Chances()
        self.trouble = ""
        self.asked: object = None  # a dialog lives as long as somebody holds it
        self._panel = 0
        self._seen: object = None

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Where there is little room the bed has it."""
        self.ribbon.setVisible(self.height() > theme.base * ROOM)

    # what is shown

    def refresh(self) -> None:
        batch, panel = self.batch, self.bench.board.panel
        state = batch.state
        seen = (panel, place_step(batch).id, state.last_id, batch.workshop.last_id)
        if seen != self._seen and self.run is None:
            self._seen, self._panel = seen, panel
            self._take_in()
        kept = kept_of(batch)
        words = self.so_far
        if not words and kept is not None:
            gap = kept.time_s / kept.bound_s - 1 if kept.bound_s > 0 else 0.0
            words = f"{kept.time_s:.0f} s a panel; none is faster than {kept.bound_s:.0f} s (gap {100 * gap:.1f} %)"
        if not self.so_far:
            job = self.task.job if self.task else None
            self.ribbon.show_plan(job, self.plan, words or "No programme yet: O finds one.")

    def _take_in(self) -> None:
        batch, machine = self.batch, machine_of(self.batch)
        step, panel = place_step(batch), self._panel
        self.task, self.plan, self.trouble = None, None, ""
        try:
            self.task = task(batch, panel)
            if kept := kept_of(batch):
                self.plan = plan_of(self.task.job, kept)
        except Refused as problem:
            self.trouble = str(problem)
        way = lying(batch, panel, machine, step.side)
        loaded = batch.state[SetUp].loaded.get(step.id, {})
        job = self.task.job if self.task else None
        self.bed.show_job(machine, job, self.plan, outlines_of(way, batch.panel), loaded)
        boards = {b.cell: b for b in batch.state.panel_boards(panel)}
        labels = job.labels if job else ()
        self.bed.done = {i for i, (ref, cell) in enumerate(labels) if ref in boards[cell - 1].placed}
        self.bed.path, self.bed.beam = [], machine.park

    def now(self) -> Now | None:
        panel = self.bench.board.panel
        if self.search is not None:
            return Now("Searching for a programme", f"{self.so_far} X takes what is found by now.", self.search.spent())
        if self.run is not None:
            return self.run.now()
        if self.edit is not None:
            return self.edit.now()
        if self.task is None:
            return Now("Nothing for the machine", self.trouble)
        if self.plan is None:
            return Now(
                "Find a programme",
                self.trouble or f"O searches for slots, nozzles, trips and order for {len(self.task.job)} parts.",
            )
        stops = self.batch.not_overruled(judge_proof(self.batch, panel))
        if stops:
            return Now(stops[0].headline, f"{stops[0].do} Tab goes there. R runs it dry.")
        where = "" if fits(self.batch, panel) else " No points are taught: the corner of the clamp counts."
        on = len(self.bed.done)
        if 0 < on < len(self.task.job):
            do = "If a run broke off, look first which of the next parts lie there already, and note them by hand."
            return Now(f"Go on with panel {panel}: {on} of {len(self.task.job)} are on", f"{do} R goes on.{where}")
        return Now(f"Run panel {panel}", f"R starts. Hands out, hood closed.{where}")

    # keys

    def keys(self) -> list[Key]:
        if self.search is not None:
            return [Key("X", "take what is found", lambda _: self._leave())]
        if self.run is not None:
            return self.run.keys()
        if self.edit is not None:
            return self.edit.keys()
        return [
            Key("O", "find a programme", lambda _: self._search(), True),
            Key("R", "run", lambda _: self._start(False), True),
            Key("S", "step through", lambda _: self._start(True), True),
            Key("E", "write it", lambda _: self._out(write_programme), True),
            Key("L", "set-up sheet", lambda _: self._out(write_sheet), True),
            Key("T", "by a template", lambda _: self._out(fill_template), True),
            Key("C", "another machine", lambda _: self._other()),
            Key("A", "machines in a row", lambda _: self._in_a_row()),
            Key("B", "edit the bed", lambda _: self._edit()),
            *([Key("K", "times of that run", lambda _: self._calibrate())] if self.timed else []),
        ]

    def _other(self) -> None:
        names = list(self.batch.workshop[Records].all(Placer))
        here = placer_of(self.batch).id
        name = names[(names.index(here) + 1) % len(names)] if here in names else (names or [""])[0]
        self.desk.do(ChooseMachine(name), f"{name}.")

    def _in_a_row(self) -> None:
        dialog = RowDialog(self.desk, self._panel)
        dialog.open()
        self.asked = dialog

    # search

    def _search(self) -> None:
        if self.task is None:
            self.desk.say(self.trouble)
            return
        sought = self.task.job
        self.search = Search(lambda spent, seen: optimise(sought, spent, seen=seen), usual_seconds(len(sought)))
        self.sought = sought
        self.search.better.connect(self._better)
        self.search.finished_with.connect(self._found)
        self.search.failed.connect(self._failed)
        self.so_far = "Looking at slots and nozzles."
        self.search.start()
        self.desk.say("")

    def _better(self, found: Found, share: float) -> None:
        if self.task is None or self.search is None:
            return
        self.so_far = f"{found.time_s:.1f} s so far; none is faster than {found.bound_s:.1f} s."
        self.bed.plan = found.plan
        self.bed.fresh()
        self.ribbon.show_plan(self.task.job, found.plan, self.so_far)
        self.desk.say("")

    def _found(self, found: Found) -> None:
        searched = self.sought if self.search else None
        self._end_search()
        if searched is None:
            return
        slots, rows = rows_of(searched, found.plan)
        said = f"{found.time_s:.0f} s a panel, at most {100 * found.gap:.1f} % from the best of all."
        self.desk.do(KeepProgramme(slots, rows, found.bound_s), said)

    def _failed(self, text: str) -> None:
        self._end_search()
        self.desk.say(text)

    def _end_search(self) -> None:
        if self.search is not None:
            self.search.wait()
        self.search, self.so_far = None, ""

    def _leave(self) -> None:
        if self.search is not None:
            self.search.leave()

    # the machine itself

    def _edit(self) -> None:
        """Begin to edit the bed, or end it."""
        if self.edit is None:
            self.edit = BedEdit(self.desk, self.bed, self._edit)
        else:
            self.edit.close()
            self.edit, self._seen = None, None
        self.desk.say("")

    def _calibrate(self) -> None:
        """The machine's record takes its times from the last run."""
        try:
            body, said = calibrated_record(placer_of(self.batch), self.timed, self.task.job if self.task else None)
        except ValueError as problem:
            self.desk.say(f"{problem}.")
        else:
            self.desk.do(SetRecord("placer", body), said)

    # run, and out

    def _start(self, single: bool) -> None:
        self.run = LiveRun(self.desk, self.bed, self.ribbon, self.chances)
        self.run.over.connect(self._over)
        try:
            self.run.start(self._panel, single)
        except (Refused, NoPlacer) as problem:
            self.run = None
            self.desk.say(str(problem))

    def _over(self, said: str) -> None:
        self.timed = self.run.runner.timed if self.run else []
        self.run, self._seen = None, None
        self.desk.say(said)

    def _out(self, way: Callable[[Desk, Task, Plan, int], object]) -> None:
        if self.task is None or self.plan is None:
            self.desk.say(self.trouble or "Find a programme first, with O.")
        else:
            self.asked = way(self.desk, self.task, self.plan, self._panel)

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        machine = machine_of(self.batch)
        rows = [("machine", machine.name), ("heads, slots", f"{len(machine.heads)}, {len(machine.slots)}")]
        if self.task is not None:
            rows.append(("for the machine", f"{len(self.task.job)} parts of {len(self.task.job.names)} lines"))
            rows.append(("saved over the batch", f"{self.task.choice.saved_s / 60:.0f} min against hands"))
        return f"Panel {self._panel}", rows
