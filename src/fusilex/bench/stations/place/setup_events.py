"""How a machine is set up for a step: which machine, who places which line, the programme, what stands in the slots."""

from __future__ import annotations

from collections import defaultdict
from typing import Any, ClassVar

from msgspec import Struct, field

from fusilex.bench.common.bins import OfBins
from fusilex.bench.state import BatchState
from fusilex.core.programme.feeding import Sighting
from fusilex.journal.entries import Entry, Event

Row = list[Any]
"""A trip as it is kept: nozzle names by head, picks and places as [head from 0, ref, cell from 1]."""


class Kept(Struct, frozen=True):
    """A programme as it was kept: for which machine, the slot of each line, its trips, its time and bound (s)."""

    machine: str
    slots: dict[str, str]
    trips: list[Row]
    time_s: float
    bound_s: float
    at: str

    @property
    def labels(self) -> set[tuple[str, int]]:
        """What it places: (ref, cell from 1)."""
        return {(ref, cell) for _, _, places in self.trips for _, ref, cell in places}


class Loaded(Struct):
    """What was loaded into a slot: of which line, pieces, and how many of them are gone."""

    line: str
    pieces: int
    gone: int = 0

    @property
    def left(self) -> int:
        return self.pieces - self.gone


class SetUp(Struct):
    """By step: the machine, what was said of lines (True: machine), the programme, what slots hold, what was seen of
    their pockets; by line the value (in base units) that its first piece was measured to have, and whether it is right.
    """

    machine: dict[str, str] = field(default_factory=dict)
    said: dict[str, dict[str, bool]] = field(default_factory=lambda: defaultdict(dict))
    kept: dict[str, Kept] = field(default_factory=dict)
    loaded: dict[str, dict[str, Loaded]] = field(default_factory=lambda: defaultdict(dict))
    seen: dict[str, dict[str, list[Sighting]]] = field(default_factory=lambda: defaultdict(dict))
    measured: dict[str, tuple[float, str]] = field(default_factory=dict)


class MachineChosen(Event, frozen=True):
    """A step is placed by this machine."""

    kind: ClassVar[str] = "machine_chosen"
    step: str
    machine: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        setup = state[SetUp]
        setup.machine[self.step] = self.machine
        setup.kept.pop(self.step, None)

    @property
    def words(self) -> str:
        return f"choosing {self.machine}"


class LineDecided(OfBins, frozen=True):
    """The user says who places a line; nothing takes that back."""

    kind: ClassVar[str] = "line_decided"
    step: str
    line: str
    by: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        said = state[SetUp].said[self.step]
        if self.by:
            said[self.line] = self.by == "machine"
        else:
            said.pop(self.line, None)

    @property
    def words(self) -> str:
        return f"who places {self.line}"


class ProgrammeKept(OfBins, frozen=True):
    """A programme was found and kept for a step."""

    kind: ClassVar[str] = "programme_kept"
    in_bins: ClassVar[tuple[str, ...]] = ("slots",)
    step: str
    machine: str
    slots: dict[str, str]
    trips: list[Row]
    time_s: float
    bound_s: float

    def apply(self, state: BatchState, entry: Entry) -> None:
        kept = Kept(self.machine, self.slots, self.trips, self.time_s, self.bound_s, entry.at)
        state[SetUp].kept[self.step] = kept

    @property
    def words(self) -> str:
        return "the programme"


class SlotLoaded(OfBins, frozen=True):
    """A tape, strip or tray with so many pieces went into a slot."""

    kind: ClassVar[str] = "slot_loaded"
    step: str
    slot: str
    line: str
    pieces: int

    def apply(self, state: BatchState, entry: Entry) -> None:
        setup = state[SetUp]
        setup.loaded[self.step][self.slot] = Loaded(self.line, self.pieces)
        setup.seen[self.step].pop(self.slot, None)

    @property
    def words(self) -> str:
        return f"loading slot {self.slot}"


class PocketSeen(Event, frozen=True):
    """The middle of a slot's pocket, so many pockets further on, was seen at x, y (mm, bed)."""

    kind: ClassVar[str] = "pocket_seen"
    step: str
    slot: str
    pockets: int
    x: float
    y: float

    def apply(self, state: BatchState, entry: Entry) -> None:
        seen = state[SetUp].seen[self.step]
        others = [s for s in seen.get(self.slot, []) if s.pockets != self.pockets]
        seen[self.slot] = [*others, Sighting(self.pockets, self.x, self.y)]

    @property
    def words(self) -> str:
        return f"a pocket of slot {self.slot}"


class PieceMeasured(OfBins, frozen=True):
    """One piece of a line was put to the meter before its tape was loaded."""

    kind: ClassVar[str] = "piece_measured"
    line: str
    value: float
    verdict: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[SetUp].measured[self.line] = (self.value, self.verdict)

    @property
    def words(self) -> str:
        return f"a piece of {self.line} on the meter"


EVENTS = (MachineChosen, LineDecided, ProgrammeKept, SlotLoaded, PocketSeen, PieceMeasured)
SLICES = (SetUp,)
