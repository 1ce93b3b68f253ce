"""The oven's twin at the bench: which oven a step goes through, its settings, the board as heat has it, its logs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import Any, ClassVar

import msgspec
from msgspec import Struct
from msgspec.structs import replace

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Load
from fusilex.bench.command import Command, Result
from fusilex.bench.common.heat.heat_limits import body_limits
from fusilex.bench.common.heat.oven_logs import logged_run
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.reflow.events import LoadSizeSet, Reflowing, SettingsKept
from fusilex.bench.stations.reflow.judging import rule_of
from fusilex.bench.stations.reflow.loading import together_of, window_of
from fusilex.bench.workshop.oven import Oven, fit_row
from fusilex.bench.workshop.record_kinds import PasteSheet, Window
from fusilex.bench.workshop.records import Records
from fusilex.core.design.model import Design, Part
from fusilex.core.heat.fit import Fitted, fit_oven
from fusilex.core.heat.joints import Joint, joints_of
from fusilex.core.heat.oven import AIR, PLATE, Loading
from fusilex.core.heat.places import places
from fusilex.core.heat.plan import Aim, Planned, plan
from fusilex.core.heat.predict import TERMS, Predicted, predict
from fusilex.core.heat.run import Watch
from fusilex.core.heat.schedule import LONGEST_S, Schedule
from fusilex.core.heat.sheet import CELL_MM, COARSE_MM, Sheet, sheet_of
from fusilex.core.panel.layout import Panel
from fusilex.core.programme.optimise import Spent
from fusilex.core.reflow.windows import ProcessWindow

FRAME_S, MOST_STEPS, HOTTEST_C, MOST_TOGETHER = 5.0, 200, 600.0, 50
MOST_LOGS, RAMP = 3, ", straight ramp"


class KeepSettings(Command, frozen=True):
    """Run this step's loads with these settings: °C at seconds, straight between them (`curve`) or held until the next,
    and [s, share] that the door is open.
    """

    times: list[float]
    settings: list[float]
    curve: bool
    door: list[Any]
    cautions: ClassVar[str] = "Reflow"

    def decide(self, batch: Batch) -> Result:
        step = batch.step
        if step.station != "Reflow":
            raise Refused("Settings are an oven's: look at a Reflow step first.")
        if len(self.times) > MOST_STEPS or len(self.door) > MOST_STEPS:
            raise Refused(f"At most {MOST_STEPS} settings.")
        try:
            door = msgspec.convert(self.door, list[tuple[float, float]])
            Schedule(tuple(self.times), tuple(self.settings), self.curve, tuple(door))
        except (msgspec.ValidationError, ValueError) as problem:
            raise Refused(f"That is no schedule: {problem}.") from None
        numbers = [*self.times, *(t for t, _ in door)]
        if not all(0 <= t <= LONGEST_S for t in numbers) or not all(0 <= c <= HOTTEST_C for c in self.settings):
            raise Refused(f"Settings are 0 to {HOTTEST_C:g} °C within two hours.")
        if not all(0 <= share <= 1 for _, share in door):
            raise Refused("A door is open by a share from 0 to 1.")
        opened = [list(d) for d in door]
        return Result([SettingsKept(step.id, list(self.times), list(self.settings), self.curve, opened)])


class SetLoadSize(Command, frozen=True):
    """So many panels go into this step's oven at once."""

    panels: int

    def decide(self, batch: Batch) -> Result:
        oven = oven_of(batch)
        if batch.step.station != "Reflow" or oven is None:
            raise Refused("A load is an oven's: look at a Reflow step with one on record first.")
        if not 1 <= self.panels <= MOST_TOGETHER:
            raise Refused(f"1 to {MOST_TOGETHER} panels at once.")
        try:
            places(self.panels, (batch.panel.width, batch.panel.height), oven.tray_mm)
        except ValueError as problem:
            if self.panels > 1:
                raise Refused(f"{problem}.") from None
        return Result([LoadSizeSet(batch.step.id, self.panels)])


class Question(Struct, frozen=True, eq=False):
    """All that a search needs to know, taken from the batch while it stood still; `beside` is how the panels go in that
    are of the same load.
    """

    oven: Oven
    window: ProcessWindow
    schedule: Schedule | None
    design: Design
    panel: Panel
    parts: tuple[Part, ...]
    cells: tuple[int, ...]
    limits: Mapping[str, float]
    loading: Loading
    beside: tuple[Loading, ...] = ()

    def load(self, cell_mm: float) -> tuple[Sheet, list[Joint], Watch]:
        """The sheet, its joints and their weights."""
        return _load(self.design, self.panel, self.parts, self.cells, cell_mm)

    @property
    def load_fine(self) -> tuple[Sheet, list[Joint], Watch]:
        """The load as joints are predicted on it."""
        return self.load(CELL_MM)

    def predicted(self) -> Predicted:
        """What the run will do. Raises ValueError without settings."""
        if self.schedule is None:
            raise ValueError("No settings yet: O finds some")
        sheet, joints, watch = self.load_fine
        coarse, _, beside = self.load(COARSE_MM)
        fitted, melting = self.oven.fitted, self.window.melting
        both, few = (joints, watch), (coarse, beside)
        terms = replace(TERMS, frame_every_s=FRAME_S)
        return predict(sheet, both, fitted, self.schedule, melting, coarse=few, terms=terms, loading=self.loading)

    def predicted_likely(self) -> Predicted:
        """The same by the likeliest oven alone: nothing of how sure that is. Raises ValueError without settings."""
        if self.schedule is None:
            raise ValueError("No settings yet")
        sheet, joints, watch = self.load_fine
        fitted, melting = self.oven.fitted, self.window.melting
        return predict(sheet, (joints, watch), fitted, self.schedule, melting, loading=self.loading)

    def planned(self, spent: Spent) -> Planned:
        """Settings for the oven, or turns of its dial; what is best by the time that is spent."""
        sheet, joints, watch = self.load(COARSE_MM)
        fine, _, beside = self.load_fine
        keep = lambda share: spent() < 1  # noqa: E731
        oven, both, sharp = self.oven, (joints, watch), (fine, beside)
        aim = Aim(self.window, oven.hottest_c, not oven.follows, oven.opens, self.limits)
        return plan(sheet, both, oven.fitted, aim, loading=self.loading, fine=sharp, watcher=keep)

    def fitted(self, logs: Sequence[tuple[str, bytes]], spent: Spent) -> Fitted:
        """The oven by logs of such loads. Raises ValueError, or `BadInput`, for logs that say nothing."""
        sheet, _, joints = self.load(COARSE_MM)
        board = self.design, self.panel
        runs = [
            logged_run(data, name, sheet, self.schedule, board, joints, self.window.melting, self.loading)
            for name, data in logs
        ]
        return fit_oven(self.oven.model, runs, lambda share: spent() < 1)


@lru_cache(maxsize=6)
def _load(
    design: Design, panel: Panel, parts: tuple[Part, ...], cells: tuple[int, ...], cell_mm: float
) -> tuple[Sheet, list[Joint], Watch]:
    sheet = sheet_of(design, panel, parts, cells, cell_mm)
    return sheet, *joints_of(design, panel, parts, sheet, cells)


def oven_of(batch: Batch) -> Oven | None:
    """The first oven on record that works as the step's method says."""
    ovens = batch.workshop[Records].all(Oven).values()
    return next((oven for oven in ovens if oven.method == batch.step.method), None)


def settings_of(batch: Batch) -> Schedule | None:
    """The settings kept for the step in view, else the curve of its oven."""
    kept = batch.state[Reflowing].settings.get(batch.step.id)
    oven = oven_of(batch)
    return kept or (oven.told if oven else None)


def question(batch: Batch, panels: Sequence[int] = ()) -> Question:
    """What is asked of the twin for the panel in hand, or for a load of `panels`, it first. Raises `Refused` where
    there is no oven, or nothing in it.
    """
    oven, board = oven_of(batch), batch.board
    if batch.step.method == AIR:
        raise Refused("Hot air goes part by part: its steps are under Held steps.")
    if oven is None:
        raise Refused(f"No {batch.step.method} is on record: put one among the workshop's ovens, with F4.")
    parts = tuple(batch.parts_on_paste(batch.step.side, *batch.state.panel_boards(board.panel)))
    cells = tuple(b.cell for b in batch.state.panel_boards(board.panel) if not b.scrapped)
    if not parts or not cells:
        raise Refused("Nothing on this panel is soldered by paste on this side.")
    below = "bottom" if batch.step.side == "top" else "top"
    there = {ref for b in batch.state.panel_boards(board.panel) for ref in (*b.placed, *b.soldered)}
    if batch.step.method == PLATE and any(p.ref in there for p in batch.own.by_ref.values() if p.side == below):
        raise Refused("Parts are on the underside: the board does not lie flat, a plate cannot heat it. An oven can.")
    rule = rule_of(batch, board)
    limits = body_limits(batch.workshop, parts, rule.leaded)
    panel = batch.panel
    loading, *beside = loadings(batch, oven, (panel.width, panel.height), panels)
    return Question(oven, rule, settings_of(batch), batch.drawn, panel, parts, cells, limits, loading, tuple(beside))


def loadings(batch: Batch, oven: Oven, size: tuple[float, float], panels: Sequence[int]) -> list[Loading]:
    """How panels go in, the one in hand where none is named: alone in the middle, or each at its place among as many as
    there are. Raises `Refused`.
    """
    count = len(panels) or together_of(batch)
    if count == 1:
        return [oven.loading()]
    try:
        there = places(count, size, oven.tray_mm)
    except ValueError as problem:
        raise Refused(f"{problem}.") from None
    first = batch.board.panel - 1
    return [oven.loading(count, there[(first + n) % count]) for n in range(len(panels) or 1)]


def logs_of(batch: Batch) -> list[Load]:
    """The newest loads of this step that tell something of its oven: by a log, or by what eyes saw at a clock."""
    loads = [x for x in batch.state[Reflowing].loads if x.step == batch.step.id and (x.log or x.marks)]
    return loads[-MOST_LOGS:][::-1]


def other_school(batch: Batch) -> PasteSheet:
    """The paste of the board in hand with the window of the other school: a straight ramp for a soak, or back. Raises
    `Refused` where it has no such window.
    """
    records = batch.workshop[Records]
    sheet = records.paste(window_of(batch, batch.board))
    soaked, ramp, _ = sheet.window.partition(RAMP)
    wanted = soaked if ramp else sheet.window + RAMP
    if wanted not in records.all(Window):
        raise Refused(f"There is no window called {wanted}: put one among the workshop's windows, with F4.")
    return msgspec.structs.replace(sheet, window=wanted)


def oven_body(oven: Oven, fitted: Fitted, runs: int, by_eye: int = 0) -> dict[str, Any]:
    """The oven's record with what was found."""
    body: dict[str, Any] = msgspec.to_builtins(msgspec.structs.replace(oven, fit=fit_row(fitted, runs, True, by_eye)))
    return body


COMMANDS = (KeepSettings, SetLoadSize)
