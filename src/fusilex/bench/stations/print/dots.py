"""Paste by syringe: the needle, what a dot weighs, and pads done one after the other on a short way."""

from __future__ import annotations

from collections import defaultdict
from functools import lru_cache
from typing import ClassVar

from msgspec import Struct, field

from fusilex.bench.batch import Batch
from fusilex.bench.command import Command, Result
from fusilex.bench.refusal import Refused
from fusilex.bench.state import BatchState
from fusilex.bench.stations.print.jars import air
from fusilex.bench.workshop.record_kinds import Needle
from fusilex.bench.workshop.records import Records
from fusilex.core.judgement import Judgement
from fusilex.core.printing.apertures import Apertures
from fusilex.core.printing.dots import (
    DotPlan,
    dot_volume,
    judge_dots,
    judge_needle,
    plan_dots,
    weighed_dot,
)
from fusilex.core.printing.tinning import plan_tinning
from fusilex.core.quantities import MM, write
from fusilex.journal.entries import Entry, Event

MOST_AT_ONCE = 5_000
TINNED = "tinned pads"


class Dots(Struct):
    """The needle's bore (mm, 0 for the first on record), a dot's weighed volume (mm³, 0 for none) for that needle, and
    pads done by step and board.
    """

    bore_mm: float = 0.0
    dot_mm3: float = 0.0
    done: dict[tuple[str, str], int] = field(default_factory=lambda: defaultdict(int))


class NeedleChosen(Event, frozen=True):
    """Paste comes through this needle from now on; what a dot weighed with another says nothing."""

    kind: ClassVar[str] = "needle_chosen"
    bore_mm: float

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Dots].bore_mm, state[Dots].dot_mm3 = self.bore_mm, 0.0

    @property
    def words(self) -> str:
        return f"the needle of {write(self.bore_mm, MM)}"


class DotsWeighed(Event, frozen=True):
    """Twenty dots on the scale: the volume of one (mm³)."""

    kind: ClassVar[str] = "dots_weighed"
    dot_mm3: float

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Dots].dot_mm3 = self.dot_mm3

    @property
    def words(self) -> str:
        return "the weight of twenty dots"


class PadsDotted(Event, frozen=True):
    """So many more pads of a board have their paste."""

    kind: ClassVar[str] = "pads_dotted"
    about: ClassVar[str] = "board"
    step: str
    board: str
    count: int

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Dots].done[self.step, self.board] += self.count

    @property
    def words(self) -> str:
        return f"paste on {self.count} pad{'s' if self.count != 1 else ''} of {self.board}"


def bore(batch: Batch) -> float:
    """The needle in use (mm)."""
    return batch.state[Dots].bore_mm or batch.workshop[Records].first(Needle).bore_mm


@lru_cache(maxsize=8)
def _plan(apertures: Apertures, foil: float, dot_mm3: float) -> DotPlan:
    return plan_dots(apertures, foil, dot_mm3)


_tinning = lru_cache(maxsize=8)(plan_tinning)


def plan(batch: Batch) -> DotPlan:
    """Dots on the pads of the side in view, or pads to be tinned, and the way over them."""
    if batch.step.method == TINNED:
        return _tinning(batch.derived.apertures(batch.step.side))
    dot = batch.state[Dots].dot_mm3 or dot_volume(bore(batch))
    return _plan(batch.derived.apertures(batch.step.side), batch.state.foil_mm, dot)


def done_on(batch: Batch, board: str) -> int:
    """Pads of a board that have their paste at the step in view."""
    return min(batch.state[Dots].done.get((batch.step.id, board), 0), len(plan(batch).order))


def judge_syringe(batch: Batch) -> list[Judgement]:
    """Needle, dots and pads."""
    sheet = batch.workshop[Records].paste(batch.state.paste)
    celsius, _, lately = air(batch)
    found = [judge_needle(bore(batch), sheet.powder or None)]
    return [*found, *judge_dots(plan(batch), celsius if lately else None, bool(batch.state[Dots].dot_mm3))]


class ChooseNeedle(Command, frozen=True):
    """Paste comes through this needle from now on."""

    bore_mm: float

    def decide(self, batch: Batch) -> Result:
        try:
            dot_volume(self.bore_mm)
        except ValueError as error:
            raise Refused(f"{str(error).capitalize()}.") from error
        return Result([NeedleChosen(float(self.bore_mm))])


class WeighDots(Command, frozen=True):
    """Twenty dots weigh so much (g)."""

    grams: float

    def decide(self, batch: Batch) -> Result:
        try:
            volume = weighed_dot(self.grams, batch.workshop[Records].paste(batch.state.paste).paste)
        except ValueError as error:
            raise Refused(f"{str(error).capitalize()}.") from error
        usual = dot_volume(bore(batch))
        if not 0.1 <= volume / usual <= 10:
            raise Refused(f"A dot of {volume:.3f} mm³ is not what a needle of {bore(batch):g} mm makes: weigh again.")
        return Result([DotsWeighed(volume)])


class DotPads(Command, frozen=True):
    """So many more pads of a board have their paste."""

    board: str
    count: int = 1
    cautions: ClassVar[str] = "Print"

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Print")
        here = batch.about(board.serial, board.step)
        left = len(plan(here).order) - done_on(here, board.serial)
        if not 1 <= self.count <= MOST_AT_ONCE:
            raise Refused("At least one pad.")
        if self.count > left:
            raise Refused(f"Board {board.serial} has {left} pads left without paste.")
        return Result([PadsDotted(board.step, board.serial, self.count)])


COMMANDS = (ChooseNeedle, WeighDots, DotPads)
EVENTS = (NeedleChosen, DotsWeighed, PadsDotted)
SLICES = (Dots,)
