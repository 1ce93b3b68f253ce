"""What Hand does beside parts one by one: leads through a pot or over a small wave, wires, harnesses, late parts."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar

import msgspec
from msgspec import Struct, field

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board, Put
from fusilex.bench.command import Command, Result
from fusilex.bench.common.bins import OfBins
from fusilex.bench.common.pieces import pieces_counted
from fusilex.bench.common.short_bins import judge_bins
from fusilex.bench.refusal import Refused
from fusilex.bench.state import BatchState
from fusilex.bench.workshop.record_kinds import Limits
from fusilex.bench.workshop.records import Records
from fusilex.core.evidence import Level
from fusilex.core.soldering.bath import LEAD_FREE, LEADED, judge_bath
from fusilex.journal.entries import Entry, Event

BATHS = ("pot", "wave")
KINDS = ("wire", "harness", "late part", "other")
RANGES: dict[str, tuple[float, float]] = {
    "bath_c": (180.0, 320.0),
    "preheat_c": (0.0, 180.0),
    "speed_mm_s": (0.0, 100.0),
    "dwell_s": (0.1, 20.0),
    "height_mm": (0.0, 20.0),
    "depth_mm": (0.0, 5.0),
}
"""Settings of a pot or a wave, each within what such a thing can be set to."""
WORDS = ("flux", "alloy")
MOST_TASKS = 40


class Task(Struct, frozen=True):
    """Something for the hands at a step: what, in which colour, where, and the pull (N) it has to hold, 0 for none."""

    id: int
    step: str
    kind: str
    what: str
    colour: str = ""
    where: str = ""
    pull_n: float = 0.0

    @property
    def words(self) -> str:
        colour = f" {self.colour}" if self.colour else ""
        where = f", {self.where}" if self.where else ""
        return f"{self.kind}{colour}: {self.what}{where}"


class Extra(Struct):
    """Tasks by id, those done by board and id with the pull that was held (N); settings of baths by board and part;
    seconds that parts took with the iron, each with its joints.
    """

    tasks: dict[int, Task] = field(default_factory=dict)
    done: dict[tuple[str, int], float] = field(default_factory=dict)
    baths: dict[tuple[str, str], tuple[str, Mapping[str, Any]]] = field(default_factory=dict)


def tasks_left(batch: Batch, board: Board, step: str) -> list[Task]:
    """Tasks of a step that a board still needs, in the order they were put down."""
    extra = batch.state[Extra]
    return [t for t in extra.tasks.values() if t.step == step and (board.serial, t.id) not in extra.done]


class TaskAdded(Event, frozen=True):
    """There is something more for the hands at a step."""

    kind: ClassVar[str] = "hand_task_added"
    step: str
    what: str
    sort: str
    colour: str = ""
    where: str = ""
    pull_n: float = 0.0

    def apply(self, state: BatchState, entry: Entry) -> None:
        task = Task(entry.number, self.step, self.sort, self.what, self.colour, self.where, self.pull_n)
        state[Extra].tasks[entry.number] = task

    @property
    def words(self) -> str:
        return f"{self.sort} {self.what}"


class TaskRemoved(Event, frozen=True):
    """It is not needed after all."""

    kind: ClassVar[str] = "hand_task_removed"
    refers: ClassVar[tuple[str, ...]] = ("task",)
    task: int

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Extra].tasks.pop(self.task, None)

    @property
    def words(self) -> str:
        return "a task of the hands"


class TaskDone(Event, frozen=True):
    """It is done on a board, and held so much pull (N)."""

    kind: ClassVar[str] = "hand_task_done"
    about: ClassVar[str] = "board"
    refers: ClassVar[tuple[str, ...]] = ("task",)
    board: str
    task: int
    pull_n: float = 0.0

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Extra].done[self.board, self.task] = self.pull_n

    @property
    def words(self) -> str:
        return f"a task on {self.board}"


class BathSoldered(OfBins, frozen=True):
    """Leads of a board went through a pot's nozzle or over a wave, with these settings; `taken` says which parts came
    out of which bin. Older journals do not.
    """

    kind: ClassVar[str] = "bath_soldered"
    in_bins: ClassVar[tuple[str, ...]] = ("taken",)
    about: ClassVar[str] = "board"
    board: str
    refs: list[str]
    bath: str
    settings: dict[str, Any]
    taken: dict[str, list[str]] = {}

    def apply(self, state: BatchState, entry: Entry) -> None:
        board = state.boards[self.board]
        of = {ref: name for name, refs in self.taken.items() for ref in refs}
        for ref in self.refs:
            if ref not in board.soldered:
                board.soldered.append(ref)
            board.put[ref] = Put(entry.at, entry.who, of.get(ref, ""))
            state[Extra].baths[self.board, ref] = self.bath, self.settings

    @property
    def words(self) -> str:
        return f"the {self.bath} under {self.board}"


class AddTask(Command, frozen=True):
    """A wire, a harness, a part that came late, or anything else, on every board at a step."""

    step: str
    sort: str
    what: str
    colour: str = ""
    where: str = ""
    pull_n: float = 0.0

    def decide(self, batch: Batch) -> Result:
        if self.step not in batch.steps.by_id or batch.steps.by_id[self.step].station != "Hand":
            raise Refused("Such work stands at a step of Hand.")
        if self.sort not in KINDS:
            raise Refused(f"A task is a {', '.join(KINDS)}.")
        if not self.what.strip() or len(self.what) > 120:
            raise Refused("Say what it is, in up to 120 letters.")
        if not 0 <= self.pull_n <= 500:
            raise Refused("A pull is up to 500 N.")
        if len(batch.state[Extra].tasks) >= MOST_TASKS:
            raise Refused(f"There are {MOST_TASKS} tasks already.")
        words = self.what.strip(), self.sort, self.colour.strip()[:40], self.where.strip()[:80]
        return Result([TaskAdded(self.step, *words, float(self.pull_n))])


class RemoveTask(Command, frozen=True):
    """A task is not needed after all."""

    task: int

    def decide(self, batch: Batch) -> Result:
        if self.task not in batch.state[Extra].tasks:
            raise Refused("There is no such task.")
        return Result([TaskRemoved(self.task)])


class DoTask(Command, frozen=True):
    """A task is done on a board; where it has to hold a pull, so many N were held."""

    board: str
    task: int
    pull_n: float = 0.0
    cautions: ClassVar[str] = "Hand"

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Hand")
        task = next((t for t in tasks_left(batch, board, board.step) if t.id == self.task), None)
        if task is None:
            raise Refused(f"That is not to be done on board {board.serial}.")
        if part := batch.next_part(board, board.step):
            raise Refused(f"{part.ref} comes before it.")
        if not 0 <= self.pull_n <= 1000:
            raise Refused("A pull is up to 1000 N.")
        if self.pull_n < task.pull_n:
            raise Refused(f"It has to hold {task.pull_n:g} N: make it anew, and pull again.")
        done = TaskDone(board.serial, task.id, float(self.pull_n))
        if len(tasks_left(batch, board, board.step)) > 1:
            return Result([done])
        counted = pieces_counted(batch, board, list(board.soldered))
        return Result([done, *counted.events, *batch.onward([board])], counted.workshop)


class SolderInBath(Command, frozen=True):
    """The leads of a board that are left at its step go through a pot's nozzle or over a wave."""

    board: str
    bath: str
    settings: dict[str, Any]
    cautions: ClassVar[str] = "Bath"

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Hand")
        if self.bath not in BATHS:
            raise Refused(f"A bath is a {' or a '.join(BATHS)}.")
        settings = _checked(self.settings)
        there = {*board.placed, *board.soldered}
        left = [p for p in batch.parts_of(board.step, board) if p.ref not in there]
        if chips := [p.ref for p in left if not p.through_hole]:
            raise Refused(f"{chips[0]} has no leads: solder it with the iron first.")
        if not left:
            raise Refused(f"No lead is left to solder on board {board.serial}.")
        refs = [p.ref for p in left]
        taken = batch.bins_of(board, refs)
        batch.hold_at(judge_bins(batch, {name: len(own) for name, own in taken.items()}))
        happened: list[Event] = [BathSoldered(board.serial, refs, self.bath, settings, taken)]
        if tasks_left(batch, board, board.step):
            return Result(happened)
        counted = pieces_counted(batch, board, [*board.soldered, *refs])
        judged = judge_bath(board.serial, settings, batch.workshop[Records].first(Limits).board_mm)
        stays = any(j.level is Level.STOP for j in judged)  # it goes on with a reason, by its step's own key
        onward = [] if stays else batch.onward([board])
        return Result([*happened, *counted.events, *onward], counted.workshop)


def _checked(settings: Mapping[str, Any]) -> dict[str, Any]:
    """Settings that a pot or a wave can have. Raises `Refused`."""
    if not isinstance(settings, Mapping):
        raise Refused("Settings are numbers by their names.")
    try:
        numbers = msgspec.convert({k: v for k, v in settings.items() if k not in WORDS}, dict[str, float])
    except msgspec.ValidationError as problem:
        raise Refused(f"A setting is a number: {problem}.") from None
    for name in RANGES:
        low, high = RANGES[name]
        if name in numbers and not low <= numbers[name] <= high:
            raise Refused(f"{name.replace('_', ' ')} runs from {low:g} to {high:g}.")
    if unknown := sorted(numbers.keys() - RANGES.keys()):
        raise Refused(f"A bath has no {unknown[0]}; it has {', '.join(RANGES)}, flux and alloy.")
    if (alloy := str(settings.get("alloy", ""))) not in ("", LEADED, LEAD_FREE):
        raise Refused(f"The solder in a bath is {LEADED} or {LEAD_FREE}, not {alloy[:20]}.")
    if "bath_c" not in numbers or "dwell_s" not in numbers:
        raise Refused("Say how hot the bath is and how long joints dwell in it.")
    return {**numbers, "flux": str(settings.get("flux", ""))[:40], **({"alloy": alloy} if alloy else {})}


CAUTIONS = {
    "Bath": (
        "A pot of molten solder burns to the bone and spits where it meets water: dry boards, long sleeves, eyes and"
        " face covered.",
        "Flux and dross give off fumes: extraction. Leaded dross is poison and hazardous waste; wash your hands.",
        "Flux may burn: nothing that lights it near, and the extinguisher that its sheet names.",
    ),
}
COMMANDS = (AddTask, RemoveTask, DoTask, SolderInBath)
EVENTS = (TaskAdded, TaskRemoved, TaskDone, BathSoldered)
SLICES = (Extra,)
