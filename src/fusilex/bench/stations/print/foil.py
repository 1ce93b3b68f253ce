"""Commands at the foil and along a print: hold, look, move, wipe; the steps of the stroke; marks and weights."""

from __future__ import annotations

from typing import ClassVar

from fusilex.bench.batch import Batch
from fusilex.bench.command import Command, Result
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.print.foil_events import (
    STAGES,
    DepositMarked,
    FoilHeld,
    FoilLooked,
    FoilMoved,
    FoilWiped,
    JigMeasured,
    PanelWeighed,
    PartLooked,
    Run,
    StageDone,
)
from fusilex.bench.stations.print.jars import per_panel_mg
from fusilex.bench.stations.print.judging import judge
from fusilex.bench.stations.print.stencil import apart, looks_at, since_wipe, strokes
from fusilex.bench.workshop.paste_care import PrintCompared
from fusilex.core.printing.alignment import HINGES
from fusilex.core.printing.looking import WORDS

HOLDINGS = ("tape", "frame")
MOST_OFF_MM, MOST_STEP_MM = 3.0, 2.0
MOST_GRAMS = 5000.0


def _at_print(batch: Batch, panel: int = 0) -> Batch:
    """The batch looked at from the printing step that a panel is at, or from the one in view. Raises `Refused`."""
    if panel:
        board = batch.panel_at(panel, "Print")[0]
        return batch.about(board.serial, board.step)
    if batch.step.station == "Print":
        return batch
    steps = batch.steps.at_station("Print")
    if not steps:
        raise Refused("Nothing is printed on this batch's route.")
    return batch.about(batch.view.board, steps[0].id)


class HoldFoil(Command, frozen=True):
    """The foil is held by tape or in a frame, along a side."""

    holding: str
    hinge: str

    def decide(self, batch: Batch) -> Result:
        batch = _at_print(batch)
        if self.holding not in HOLDINGS or self.hinge not in HINGES:
            raise Refused(f"A foil is held by {' or '.join(HOLDINGS)}, at the {', '.join(HINGES)}.")
        return Result([FoilHeld(batch.step.id, self.holding, self.hinge)])


class LookThrough(Command, frozen=True):
    """How far paste, or the aperture, was seen to lie from its pad (dx, dy; mm) at a place of the panel (mm)."""

    x_mm: float
    y_mm: float
    dx_mm: float
    dy_mm: float
    cautions: ClassVar[str] = "Print"

    def decide(self, batch: Batch) -> Result:
        batch = _at_print(batch)
        panel = batch.panel
        if not (0 <= self.x_mm <= panel.width and 0 <= self.y_mm <= panel.height):
            raise Refused(f"The panel is {panel.width:g} × {panel.height:g} mm; that place is not on it.")
        if max(abs(self.dx_mm), abs(self.dy_mm)) > MOST_OFF_MM:
            raise Refused(f"A foil that lies more than {MOST_OFF_MM:g} mm off is laid anew by eye first.")
        look = (float(self.x_mm), float(self.y_mm), float(self.dx_mm), float(self.dy_mm))
        return Result([FoilLooked(batch.step.id, *look)])


class MoveFoil(Command, frozen=True):
    """The foil was moved; it is to be looked at anew."""

    def decide(self, batch: Batch) -> Result:
        batch = _at_print(batch)
        if not looks_at(batch):
            raise Refused("Nobody looked yet how the foil lies: look at two places first.")
        return Result([FoilMoved(batch.step.id)])


class WipeFoil(Command, frozen=True):
    """The foil was wiped beneath."""

    cautions: ClassVar[str] = "Print"

    def decide(self, batch: Batch) -> Result:
        batch = _at_print(batch)
        if not since_wipe(batch):
            raise Refused("The foil is clean: nothing was printed since it was wiped.")
        return Result([FoilWiped(batch.step.id, strokes(batch))])


class MeasureJig(Command, frozen=True):
    """How much higher (+) or lower (−) the frame is than the board (mm)."""

    step_mm: float

    def decide(self, batch: Batch) -> Result:
        if not abs(self.step_mm) <= MOST_STEP_MM:
            raise Refused(f"A frame is less than {MOST_STEP_MM:g} mm off its board.")
        return Result([JigMeasured(float(self.step_mm))])


class DoStage(Command, frozen=True):
    """The next step of a print is done: clean, seat, bead, stroke, lift."""

    panel: int
    stage: str
    cautions: ClassVar[str] = "Print"

    def decide(self, batch: Batch) -> Result:
        batch.whole_panel(self.panel, "Print")
        here = _at_print(batch, self.panel)
        step = here.step.id
        wanted = next_stage(here, self.panel)
        if self.stage != wanted:
            raise Refused(f"Next for panel {self.panel} is: {wanted}.")
        if self.stage == STAGES[-1]:
            raise Refused("A print that was looked at is accepted, or wiped off.")
        if self.stage in STAGES[: STAGES.index("lift")]:
            here.hold_at(judge(here), f"Panel {self.panel} is not printed")
        return Result([StageDone(step, self.panel, self.stage)])


def next_stage(batch: Batch, panel: int) -> str:
    """The step of a print that comes next on a panel; the last is to look at it."""
    done = batch.state[Run].stages.get((batch.step.id, panel), ())
    return next((stage for stage in STAGES if stage not in done), STAGES[-1])


class MarkDeposit(Command, frozen=True):
    """What a deposit looks like, at a part of a board or at one of its pads; '' takes the mark away."""

    board: str
    ref: str
    word: str
    pin: str = ""

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Print")
        batch = batch.about(board.serial, board.step)
        if self.word and self.word not in WORDS:
            raise Refused(f"Paste is {', '.join(WORDS)}, not {self.word}.")
        apertures = batch.derived.apertures(batch.step.side)
        pins = {pin for ref, pin in zip(apertures.refs, apertures.pins, strict=True) if ref == self.ref}
        if not pins or (self.pin and self.pin not in pins):
            raise Refused(f"There is no opening for {self.ref}{f' pad {self.pin}' if self.pin else ''} on this side.")
        return Result([DepositMarked(board.step, board.panel, board.serial, self.ref, self.pin, self.word)])


class LookAtPart(Command, frozen=True):
    """The print of a part was looked at."""

    board: str
    ref: str

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Print")
        batch = batch.about(board.serial, board.step)
        if self.ref not in batch.derived.apertures(batch.step.side).refs:
            raise Refused(f"There is no opening for {self.ref} on this side.")
        return Result([PartLooked(board.step, board.panel, board.serial, self.ref)])


class WeighPanel(Command, frozen=True):
    """A panel on the scale (g): before its stroke, or after."""

    panel: int
    grams: float

    def decide(self, batch: Batch) -> Result:
        batch = _at_print(batch, self.panel)
        step = batch.step.id
        if not 0 < self.grams <= MOST_GRAMS:
            raise Refused(f"A panel weighs between 0 and {MOST_GRAMS:g} g.")
        run = batch.state[Run]
        if "stroke" not in run.stages.get((step, self.panel), ()):
            return Result([PanelWeighed(step, self.panel, float(self.grams))])
        before = run.before_g.get((step, self.panel))
        if before is None:
            raise Refused(f"Panel {self.panel} was not weighed before its print: its weight now tells nothing.")
        mg, predicted = 1000 * (self.grams - before), per_panel_mg(batch)
        if mg <= 0:
            raise Refused(
                f"Panel {self.panel} was {before:g} g before its print: it cannot weigh less or the same now."
            )
        if not predicted:
            raise Refused("This side has no openings: nothing is predicted.")
        special = apart(batch) is not None
        after = PanelWeighed(step, self.panel, float(self.grams), predicted, special)
        compared = PrintCompared(batch.state.paste, batch.state.foil_mm, mg / predicted, special, batch.name)
        return Result([after], [compared])


COMMANDS = (HoldFoil, LookThrough, MoveFoil, WipeFoil, MeasureJig, DoStage, MarkDeposit, LookAtPart, WeighPanel)
