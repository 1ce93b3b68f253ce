"""Commands of Print."""

from __future__ import annotations

from typing import ClassVar

from fusilex.bench.batch import Batch
from fusilex.bench.boards import PastePrint
from fusilex.bench.command import Command, Result
from fusilex.bench.common.events import Moved
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.print.events import FoilChosen, PanelPrinted, PasteChosen, Printing, PrintWiped
from fusilex.bench.stations.print.foil_events import Run
from fusilex.bench.stations.print.jars import jar_in_use, per_panel_mg
from fusilex.bench.stations.print.judging import judge
from fusilex.bench.stations.print.stencil import alignment
from fusilex.bench.workshop.paste_care import PasteUsed
from fusilex.bench.workshop.record_kinds import PasteSheet
from fusilex.bench.workshop.records import Records
from fusilex.core.printing.apertures import THICKEST_FOIL, THINNEST_FOIL
from fusilex.journal.entries import Event


def _check_foil(foil_mm: float) -> None:
    if not THINNEST_FOIL <= foil_mm <= THICKEST_FOIL:
        raise Refused(f"A foil is {THINNEST_FOIL} to {THICKEST_FOIL} mm thick, not {foil_mm:g} mm.")


def _check_paste(batch: Batch, paste: str) -> None:
    there = batch.workshop[Records].all(PasteSheet)
    if paste not in there:
        raise Refused(f"There is no paste called {paste}; there are {', '.join(there)}.")


def printed_panels(batch: Batch) -> list[int]:
    """Panels that carry a print, whose foil and paste no later choice changes."""
    return sorted({b.panel for b in batch.state.boards.values() if b.prints})


def _ask_in_mid_batch(batch: Batch, reason: str) -> None:
    """Another foil or paste after the first print wants a reason. Raises `Refused`."""
    done = printed_panels(batch)
    if done and not reason.strip():
        shown = f"Panel {done[0]} is" if len(done) == 1 else f"Panels {', '.join(map(str, done))} are"
        raise Refused(f"{shown} printed already: say why the next ones get another, it stands in the papers.")


class ChooseFoil(Command, frozen=True):
    """Stencil foil from now on; in mid-batch with a reason."""

    foil_mm: float
    reason: str = ""

    def decide(self, batch: Batch) -> Result:
        _check_foil(self.foil_mm)
        if self.foil_mm != batch.state.foil_mm:
            _ask_in_mid_batch(batch, self.reason)
        return Result([FoilChosen(float(self.foil_mm), self.reason.strip())])


class ChoosePaste(Command, frozen=True):
    """Paste from now on, one the workshop has; in mid-batch with a reason. It settles the window at Reflow too."""

    paste: str
    reason: str = ""

    def decide(self, batch: Batch) -> Result:
        _check_paste(batch, self.paste)
        if self.paste != batch.state.paste:
            _ask_in_mid_batch(batch, self.reason)
        return Result([PasteChosen(self.paste, self.reason.strip())])


class PrintPanel(Command, frozen=True):
    """Paste is on the panel, and was looked at. Foil and paste are what was read on the screen."""

    panel: int
    foil_mm: float
    paste: str
    note: str = ""
    cautions: ClassVar[str] = "Print"

    def decide(self, batch: Batch) -> Result:
        boards = batch.whole_panel(self.panel, "Print")
        _check_foil(self.foil_mm)
        _check_paste(batch, self.paste)
        chosen = batch.state.foil_mm, batch.state.paste
        if (self.foil_mm, self.paste) != chosen:
            raise Refused(f"The next print is with {chosen[0]:g} mm foil and {chosen[1]} paste: choose others first.")
        step, serials = boards[0].step, [b.serial for b in boards]
        here = batch.about(serials[0], step)
        here.hold_at(judge(here), f"Panel {self.panel} is not printed")
        jar, found = jar_in_use(here), alignment(here)
        lay = [found.dx, found.dy, found.rotation_deg, found.stretch] if found else []
        name = jar.id if jar else ""
        printed = PanelPrinted(self.panel, float(self.foil_mm), self.paste, self.note, step, serials, name, lay)
        used = [PasteUsed(name, per_panel_mg(here))] if name else []
        return Result([printed, *batch.onward(boards)], [*used])


class WipePrint(Command, frozen=True):
    """A misprint was wiped off before any part was placed; the panel is to be printed again."""

    panel: int
    reason: str
    cautions: ClassVar[str] = "Print"

    def decide(self, batch: Batch) -> Result:
        made = wet_print(batch, self.panel)
        if made is None and (step := in_hand(batch, self.panel)):
            if not self.reason.strip():
                raise Refused("Say what was wrong with the print.")
            return Result([PrintWiped(self.panel, self.reason.strip(), step)])
        if made is None:
            raise Refused(f"Panel {self.panel} has no print to wipe off.")
        boards = [b for b in batch.state.panel_boards(self.panel) if b.prints.get(made.step) is made]
        pasted = {p.ref for p in batch.parts_on_paste(batch.steps.by_id[made.step].side, *boards)}
        if any(pasted & {*b.placed} for b in boards):
            raise Refused(f"Parts are on panel {self.panel} already: take them back first.")
        if not self.reason.strip():
            raise Refused("Say what was wrong with the print.")
        happened: list[Event] = [PrintWiped(self.panel, self.reason.strip(), made.step)]
        if back := [b.serial for b in boards if b.step != made.step and not b.scrapped]:
            happened.append(Moved(back, made.step))
        return Result(happened)


def in_hand(batch: Batch, panel: int) -> str:
    """The step at which a panel carries a stroke that was not accepted yet, '' for none."""
    stages = batch.state[Run].stages
    return next((step for (step, n), done in stages.items() if n == panel and "stroke" in done), "")


def wet_print(batch: Batch, panel: int) -> PastePrint | None:
    """The last print of a panel, while no oven has melted it; None without one."""
    for made in reversed(batch.state[Printing].prints):
        if made.panel == panel and made.step in batch.steps.by_id:
            side = batch.steps.by_id[made.step].side
            boards = [b for b in batch.state.panel_boards(panel) if b.prints.get(made.step) is made]
            return made if boards and not any(batch.load_of(b, side) for b in boards) else None
    return None


def just_printed(batch: Batch) -> int | None:
    """The panel whose print was made last at the step in view and is still wet; None without one."""
    for made in reversed(batch.state[Printing].prints):
        if made.step == batch.view.step and wet_print(batch, made.panel) is made:
            return made.panel
    return None


COMMANDS = (ChooseFoil, ChoosePaste, PrintPanel, WipePrint)
