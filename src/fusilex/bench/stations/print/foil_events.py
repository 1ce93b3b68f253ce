"""What happens to the foil and to a print before it is done with: looks, moves, steps of the stroke, marks, weights."""

from __future__ import annotations

from collections import defaultdict
from typing import ClassVar

from msgspec import Struct, field
from msgspec.structs import replace

from fusilex.bench.state import BatchState
from fusilex.core.printing.looking import Mark
from fusilex.journal.entries import Entry, Event

Look = tuple[float, float, float, float]
"""Where somebody looked (x, y) and how far paste lay from its pad there (dx, dy), mm, in the panel as it lies."""
STAGES = ("clean", "seat", "bead", "stroke", "lift", "look")


class Foil(Struct):
    """By step: how the foil is held (tape or frame) and on which side, looks since it was moved last, how often it was
    moved; strokes so far, after how many it was looked through and wiped beneath last, how often it was wiped, and
    after how many since a wipe something was seen that a wipe prevents. Height of the frame over the board (mm).
    """

    holding: dict[str, tuple[str, str]] = field(default_factory=dict)
    looks: dict[str, list[Look]] = field(default_factory=lambda: defaultdict(list))
    moved: dict[str, int] = field(default_factory=lambda: defaultdict(int))
    wiped_after: dict[str, int] = field(default_factory=lambda: defaultdict(int))
    wipes: int = 0
    step_mm: float | None = None
    strokes: dict[str, int] = field(default_factory=lambda: defaultdict(int))
    looked_after: dict[str, int] = field(default_factory=lambda: defaultdict(int))
    faults_after: list[int] = field(default_factory=list)


class Weighed(Struct, frozen=True):
    """A print on the scale: its number once it is accepted (0 until then, and for good where it was wiped off), what it
    weighed and what was predicted (mg), and whether it stands `apart`, first after a pause or a wipe.
    """

    step: str
    panel: int
    mg: float
    predicted_mg: float
    apart: bool
    number: int = 0

    @property
    def ratio(self) -> float:
        return self.mg / self.predicted_mg


class Run(Struct):
    """The print in hand, by step and panel: stages done, marks, parts looked at, weight before (g); the weights of all
    prints in their order, and which of them is of the print in hand.
    """

    stages: dict[tuple[str, int], list[str]] = field(default_factory=lambda: defaultdict(list))
    marks: dict[tuple[str, int], list[tuple[str, Mark]]] = field(default_factory=lambda: defaultdict(list))
    looked: dict[tuple[str, int], list[tuple[str, str]]] = field(default_factory=lambda: defaultdict(list))
    before_g: dict[tuple[str, int], float] = field(default_factory=dict)
    weighed: list[Weighed] = field(default_factory=list)
    in_hand: dict[tuple[str, int], int] = field(default_factory=dict)
    stage_at: str = ""
    misprints: int = 0

    def accepted(self, step: str, panel: int, number: int) -> None:
        """The print in hand has a number: so has what it weighed, if it was weighed."""
        self.stages.pop((step, panel), None)
        if (n := self.in_hand.pop((step, panel), None)) is not None:
            self.weighed[n] = replace(self.weighed[n], number=number)

    def anew(self, step: str, panel: int) -> None:
        """The panel is bare again: nothing of its last print counts."""
        for kept in (self.stages, self.marks, self.looked, self.in_hand):
            kept.pop((step, panel), None)


class FoilHeld(Event, frozen=True):
    """The foil is held by tape or in a frame, along a side."""

    kind: ClassVar[str] = "foil_held"
    step: str
    holding: str
    hinge: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Foil].holding[self.step] = self.holding, self.hinge

    @property
    def words(self) -> str:
        return f"the foil held by {self.holding} along the {self.hinge}"


class FoilLooked(Event, frozen=True):
    """Somebody looked through an aperture, and says how far the paste lies from its pad."""

    kind: ClassVar[str] = "foil_looked"
    step: str
    x_mm: float
    y_mm: float
    dx_mm: float
    dy_mm: float

    def apply(self, state: BatchState, entry: Entry) -> None:
        looks = state[Foil].looks[self.step]
        looks[:] = [look for look in looks if abs(look[0] - self.x_mm) > 1e-6 or abs(look[1] - self.y_mm) > 1e-6]
        looks.append((self.x_mm, self.y_mm, self.dx_mm, self.dy_mm))
        state[Foil].looked_after[self.step] = state[Foil].strokes[self.step]

    @property
    def words(self) -> str:
        return "a look through the foil"


class FoilMoved(Event, frozen=True):
    """The foil was moved: earlier looks say nothing any more."""

    kind: ClassVar[str] = "foil_moved"
    step: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Foil].looks[self.step].clear()
        state[Foil].moved[self.step] += 1

    @property
    def words(self) -> str:
        return "moving the foil"


class FoilWiped(Event, frozen=True):
    """The foil was wiped beneath, after so many prints."""

    kind: ClassVar[str] = "foil_wiped"
    step: str
    after: int

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Foil].wiped_after[self.step] = self.after
        state[Foil].wipes += 1

    @property
    def words(self) -> str:
        return "wiping the foil beneath"


class JigMeasured(Event, frozen=True):
    """How much higher (+) the frame is than the board (mm)."""

    kind: ClassVar[str] = "jig_measured"
    step_mm: float

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Foil].step_mm = self.step_mm

    @property
    def words(self) -> str:
        return "the height of the frame"


class StageDone(Event, frozen=True):
    """One step of a print is done."""

    kind: ClassVar[str] = "stage_done"
    about: ClassVar[str] = "panel"
    step: str
    panel: int
    stage: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Run].stages[self.step, self.panel].append(self.stage)
        state[Run].stage_at = entry.at
        state[Foil].strokes[self.step] += self.stage == "stroke"

    @property
    def words(self) -> str:
        return f"{self.stage} of panel {self.panel}"


class DepositMarked(Event, frozen=True):
    """What a deposit looks like, at a part or one of its apertures; '' takes the mark away."""

    kind: ClassVar[str] = "deposit_marked"
    about: ClassVar[str] = "board"
    step: str
    panel: int
    board: str
    ref: str
    pin: str
    word: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        marks = state[Run].marks[self.step, self.panel]
        marks[:] = [(b, m) for b, m in marks if (b, m.ref, m.pin) != (self.board, self.ref, self.pin)]
        if self.word:
            marks.append((self.board, Mark(self.ref, self.pin, self.word)))
        if self.word in ("bridged", "smeared"):
            foil = state[Foil]
            foil.faults_after.append(foil.strokes[self.step] - foil.wiped_after[self.step])

    @property
    def words(self) -> str:
        return f"the mark {self.word} at {self.ref} of {self.board}"


class PartLooked(Event, frozen=True):
    """A part of a board's print was looked at."""

    kind: ClassVar[str] = "deposit_looked"
    about: ClassVar[str] = "board"
    step: str
    panel: int
    board: str
    ref: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Run].looked[self.step, self.panel].append((self.board, self.ref))

    @property
    def words(self) -> str:
        return f"the look at {self.ref} of {self.board}"


class PanelWeighed(Event, frozen=True):
    """A panel on the scale before its print (g), or after it with what was predicted (mg); `apart` for the first print
    after a pause or a wipe.
    """

    kind: ClassVar[str] = "panel_weighed"
    about: ClassVar[str] = "panel"
    step: str
    panel: int
    grams: float
    predicted_mg: float = 0.0
    apart: bool = False

    def apply(self, state: BatchState, entry: Entry) -> None:
        run = state[Run]
        key = self.step, self.panel
        if not self.predicted_mg:
            run.before_g[key] = self.grams
        elif (before := run.before_g.pop(key, None)) is not None:
            run.in_hand[key] = len(run.weighed)
            mg = 1000 * (self.grams - before)
            run.weighed.append(Weighed(*key, mg, self.predicted_mg, self.apart))

    @property
    def words(self) -> str:
        return f"the weight of panel {self.panel}"


EVENTS = (
    FoilHeld,
    FoilLooked,
    FoilMoved,
    FoilWiped,
    JigMeasured,
    StageDone,
    DepositMarked,
    PartLooked,
    PanelWeighed,
)
SLICES = (Foil, Run)
