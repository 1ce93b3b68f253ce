"""What happens at Reflow: loads."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, ClassVar

from fusilex.bench.boards import Load
from fusilex.bench.state import BatchState
from fusilex.core.heat.schedule import Schedule
from fusilex.journal.entries import Entry, Event


@dataclass
class Reflowing:
    """Loads in order, and by step what its oven is set to."""

    loads: list[Load] = field(default_factory=list)
    settings: dict[str, Schedule] = field(default_factory=dict)


class LoadReflowed(Event, frozen=True):
    """A panel went through the oven: with its log and what it measured, or `seen` by eye."""

    kind: ClassVar[str] = "load_reflowed"
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

    def apply(self, state: BatchState, entry: Entry) -> None:
        loads = state[Reflowing].loads
        boards = tuple(self.boards)
        number = len(loads) + 1
        rest = (self.log, self.log_name, self.metrics, self.index, self.seen, self.step, self.rule)
        loads.append(Load(number, entry.at, self.panel, boards, self.window, *rest))
        for serial in boards:
            board = state.boards[serial]
            board.loads[self.step] = loads[-1]
            board.heated[self.step] = frozenset((*board.placed, *board.soldered))
            board.heat(board.heated[self.step])

    @property
    def words(self) -> str:
        return f"the oven run of panel {self.panel}"


class SentOn(Event, frozen=True):
    """A load that was stopped goes on."""

    kind: ClassVar[str] = "load_sent_on"
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


EVENTS = (LoadReflowed, SentOn, SettingsKept)
