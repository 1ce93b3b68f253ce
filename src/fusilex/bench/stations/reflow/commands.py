"""Commands of Reflow."""

from __future__ import annotations

import math
from typing import ClassVar

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.command import Command, Result
from fusilex.bench.common.events import Moved
from fusilex.bench.common.moisture import judge_board_clocks
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.reflow.events import LoadReflowed, Reflowing, SentOn
from fusilex.bench.stations.reflow.judging import judge_log, window_of
from fusilex.core.reflow.metrics import window_index
from fusilex.core.reflow.profile import measure_log
from fusilex.core.reflow.windows import WINDOWS
from fusilex.formats.lists.temperature_log import read_log
from fusilex.journal.entries import Event
from fusilex.journal.store import digest


def whole_panel(batch: Batch, panel: int) -> list[Board]:
    """The boards of a panel, all of which wait at Reflow. Raises `Refused` while one of them is elsewhere."""
    boards = batch.panel_at(panel, "Reflow")
    behind = [b for b in batch.state.panel_boards(panel) if not b.scrapped and b.station != "Reflow"]
    if behind:
        more = f", and {len(behind) - 1} more are not here" if len(behind) > 1 else ""
        first = f"board {behind[0].serial} of panel {panel} is at {behind[0].station}"
        raise Refused(f"A load takes whole panels: {first}{more}.")
    return boards


class RecordReflow(Command, frozen=True):
    """A panel went through the oven; `log` is the temperature log's file. Outside its window it stays until that is
    settled.
    """

    panel: int
    log_name: str
    log: bytes
    cautions: ClassVar[str] = "Reflow"

    def decide(self, batch: Batch) -> Result:
        boards = whole_panel(batch, self.panel)
        name = window_of(batch, boards[0])
        read, window = read_log(self.log, self.log_name), WINDOWS[name]
        metrics = measure_log(read.time_s, read.probes_c, window)
        index = max((window_index(m, window) for m in metrics.values()), default=math.inf)
        shown = round(index, 4) if math.isfinite(index) else None
        as_written = {probe: m.as_dict() for probe, m in metrics.items()}
        serials = [b.serial for b in boards]
        load = LoadReflowed(serials, self.panel, name, digest(self.log), self.log_name, as_written, shown)
        number = len(batch.state[Reflowing].loads) + 1
        judged = [*judge_log(metrics, name, number), *judge_board_clocks(batch, boards[0])]
        stays = batch.not_overruled(judged)
        happened: list[Event] = [load] if stays else [load, Moved(serials, "Hand")]
        return Result(happened, files={self.log_name: self.log})


class SeeReflow(Command, frozen=True):
    """A panel went through the oven without a log; `seen` says what eyes made of it."""

    panel: int
    seen: str
    cautions: ClassVar[str] = "Reflow"

    def decide(self, batch: Batch) -> Result:
        boards = whole_panel(batch, self.panel)
        if not self.seen.strip():
            raise Refused("Say what you saw, for example: all joints shiny, the connector last.")
        serials = [b.serial for b in boards]
        load = LoadReflowed(serials, self.panel, window_of(batch, boards[0]), seen=self.seen.strip())
        stays = batch.not_overruled(judge_board_clocks(batch, boards[0]))
        return Result([load] if stays else [load, Moved(serials, "Hand")])


class SendOn(Command, frozen=True):
    """A load that was stopped goes on: every stop was overruled with a reason."""

    panel: int
    cautions: ClassVar[str] = "Reflow"

    def decide(self, batch: Batch) -> Result:
        boards = whole_panel(batch, self.panel)
        if boards[0].load is None:
            raise Refused(f"Panel {self.panel} has no run on record: open its log with L, or say with V what you saw.")
        return Result([SentOn(self.panel), Moved([b.serial for b in boards], "Hand")])


COMMANDS = (RecordReflow, SeeReflow, SendOn)
