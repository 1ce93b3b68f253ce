"""What happens at Reflow: loads."""

from __future__ import annotations

import math
from typing import Any, ClassVar

from msgspec import Struct, field

from fusilex.bench.boards import Load, panels_words
from fusilex.bench.state import BatchState
from fusilex.core.heat.group import Group
from fusilex.core.heat.schedule import Schedule
from fusilex.journal.entries import Entry, Event


class Reflowing(Struct):
    """Loads in order, and by step what its oven is set to and how many panels go in at once."""

    loads: list[Load] = field(default_factory=list)
    settings: dict[str, Schedule] = field(default_factory=dict)
    together: dict[str, int] = field(default_factory=dict)


def _group(part: str, cell: int, *rest: Any) -> Group:
    *numbers, verdict = rest
    melts, seconds, seconds95, peak, peak95 = (math.nan if v is None else v for v in numbers)
    return Group(part, cell, melts, seconds, seconds95, peak, peak95, verdict)


class LoadReflowed(Event, frozen=True):
    """Boards went through the oven, of `panel` and of the panels `beside` it: with the log and what it measured, or
    `seen` by eye.
    """

    kind: ClassVar[str] = "load_reflowed"
    about: ClassVar[str] = "boards"
    boards: list[str]
    panel: int
    window: str
    log: str = ""
    log_name: str = ""
    metrics: dict[str, dict[str, Any]] = {}
    index: float | None = None
    seen: str = ""
    step: str = "Reflow"
    rule: dict[str, Any] = {}
    joints: list[list[Any]] = []
    off_c: float | None = None
    changed: bool = False
    marks: str = ""
    silent: list[str] = []
    beside: list[int] = []

    def apply(self, state: BatchState, entry: Entry) -> None:
        loads = state[Reflowing].loads
        boards = tuple(self.boards)
        number = len(loads) + 1
        rest = (self.log, self.log_name, self.metrics, self.index, self.seen, self.step, self.rule)
        joints = tuple(_group(*row) for row in self.joints)
        told = (joints, self.off_c, self.changed, self.marks, tuple(self.silent), tuple(self.beside))
        loads.append(Load(number, entry.at, self.panel, boards, self.window, *rest, *told))
        for serial in boards:
            board = state.boards[serial]
            board.loads[self.step] = loads[-1]
            board.heated[self.step] = frozenset((*board.placed, *board.soldered))
            board.heat(board.heated[self.step])

    @property
    def words(self) -> str:
        return f"the oven run of {panels_words([self.panel, *self.beside])}"


class SentOn(Event, frozen=True):
    """A load that was stopped goes on."""

    kind: ClassVar[str] = "load_sent_on"
    about: ClassVar[str] = "panel"
    panel: int

    @property
    def words(self) -> str:
        return f"sending panel {self.panel} on"


class SettingsKept(Event, frozen=True):
    """Loads of a step run with these settings."""

    kind: ClassVar[str] = "settings_kept"
    step: str
    times: list[float]
    settings: list[float]
    curve: bool
    door: list[list[float]]

    def apply(self, state: BatchState, entry: Entry) -> None:
        door = tuple((t, share) for t, share in self.door)
        state[Reflowing].settings[self.step] = Schedule(tuple(self.times), tuple(self.settings), self.curve, door)

    @property
    def words(self) -> str:
        return "the oven's settings"


class LoadSizeSet(Event, frozen=True):
    """So many panels go into the oven at once."""

    kind: ClassVar[str] = "load_size_set"
    step: str
    panels: int

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Reflowing].together[self.step] = self.panels

    @property
    def words(self) -> str:
        return "the size of a load"


EVENTS = (LoadReflowed, SentOn, SettingsKept, LoadSizeSet)
