"""Commands of Reflow."""

from __future__ import annotations

import math
from typing import ClassVar

from msgspec.structs import asdict

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board, panels_of
from fusilex.bench.command import Command, Result
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.reflow.after import by_eye, told_by
from fusilex.bench.stations.reflow.events import LoadReflowed, Reflowing, SentOn
from fusilex.bench.stations.reflow.judging import before_heat, judge, judge_joints, judge_log, rule_of
from fusilex.bench.stations.reflow.loading import loaded_with, window_of
from fusilex.core.reflow.metrics import window_index
from fusilex.core.reflow.profile import measure_log, silent_probes
from fusilex.formats.lists.seen import seen_in
from fusilex.formats.lists.temperature_log import read_log
from fusilex.journal.entries import Event
from fusilex.journal.pen import digest

MARKS = "marks.csv"


class RecordReflow(Command, frozen=True):
    """A panel went through the oven, with those that go in with it; `log` is the temperature log's file. Outside its
    window the load stays until that is settled.
    """

    panel: int
    log_name: str
    log: bytes
    beside: list[int] | None = None
    cautions: ClassVar[str] = "Reflow"

    def decide(self, batch: Batch) -> Result:
        batch, boards = _load(batch, self.panel, self.beside)
        name = window_of(batch, boards[0])
        read, window = read_log(self.log, self.log_name), rule_of(batch, boards[0])
        metrics = measure_log(read.time_s, read.probes_c, window)
        silent = silent_probes(read.probes_c, metrics, read.silent)
        index = max((window_index(m, window) for m in metrics.values()), default=math.inf)
        shown = round(index, 4) if math.isfinite(index) else None
        as_written = {probe: m.as_dict() for probe, m in metrics.items()}
        told = told_by(batch, self.log, self.log_name)
        serials = [b.serial for b in boards]
        numbers = {k: list(v) if isinstance(v, tuple) else v for k, v in asdict(window).items()}
        load = LoadReflowed(
            serials,
            self.panel,
            name,
            digest(self.log),
            self.log_name,
            as_written,
            shown,
            step=batch.step.id,
            rule=numbers,
            joints=told.rows,
            off_c=None if told.off_c is None else round(told.off_c, 3),
            changed=told.changed,
            silent=silent,
            beside=panels_of(boards)[1:],
        )
        number = len(batch.state[Reflowing].loads) + 1
        judged = [*judge_log(metrics, window, number, silent), *judge_joints(told.joints, number), *before_heat(batch)]
        stays = batch.not_overruled(judged)
        happened: list[Event] = [load] if stays else [load, *batch.onward(boards)]
        return Result(happened, files={self.log_name: self.log})


class SeeReflow(Command, frozen=True):
    """A panel went through the oven without a log, with those that go in with it; `seen` says what eyes made of it,
    `marks` is what was told and seen by the clock, as a file.
    """

    panel: int
    seen: str
    marks: bytes = b""
    beside: list[int] | None = None
    cautions: ClassVar[str] = "Reflow"

    def decide(self, batch: Batch) -> Result:
        batch, boards = _load(batch, self.panel, self.beside)
        if not self.seen.strip():
            raise Refused("Say what you saw, for example: all joints shiny, the connector last.")
        serials = [b.serial for b in boards]
        if self.marks:
            seen_in(self.marks, MARKS)
        load = LoadReflowed(
            serials,
            self.panel,
            window_of(batch, boards[0]),
            seen=self.seen.strip(),
            step=batch.step.id,
            joints=by_eye(batch).rows,
            marks=digest(self.marks) if self.marks else "",
            beside=panels_of(boards)[1:],
        )
        stays = batch.not_overruled(before_heat(batch))
        happened: list[Event] = [load] if stays else [load, *batch.onward(boards)]
        return Result(happened, files={MARKS: self.marks} if self.marks else {})


class SendOn(Command, frozen=True):
    """A load that was stopped goes on: every stop was overruled with a reason."""

    panel: int
    cautions: ClassVar[str] = "Reflow"

    def decide(self, batch: Batch) -> Result:
        boards = batch.whole_panel(self.panel, "Reflow")
        if boards[0].step not in boards[0].loads:
            raise Refused(f"Panel {self.panel} has no run on record: open its log with L, or say with V what you saw.")
        there = batch.about(boards[0].serial, boards[0].step)  # while they are together: each may hold the others
        there.hold_at(judge(there), f"Panel {self.panel} stays at {batch.steps.label(boards[0].step)}")
        boards = [b for b in loaded_with(there, boards[0]) if b.step == boards[0].step]
        return Result([*map(SentOn, panels_of(boards)), *batch.onward(boards)])


def _load(batch: Batch, panel: int, beside: list[int] | None) -> tuple[Batch, list[Board]]:
    """The batch about a panel that goes into the oven, and all boards that go in with it: of the panels `beside` it
    when it went in, where those are known; a panel that came since was not in the oven. Raises `Refused`.
    """
    first, *_ = batch.whole_panel(panel, "Reflow")
    there = batch.about(first.serial, first.step)
    known = None if beside is None else {panel, *beside}
    boards = [b for b in loaded_with(there, first) if b.step == first.step]
    return there, [b for b in boards if known is None or b.panel in known]


COMMANDS = (RecordReflow, SeeReflow, SendOn)
