"""Commands of Print."""

from __future__ import annotations

from typing import ClassVar

from fusilex.bench.batch import Batch
from fusilex.bench.command import Command, Result
from fusilex.bench.common.events import Moved
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.print.events import FoilChosen, PanelPrinted, PasteChosen, Printing, PrintWiped
from fusilex.core.printing.openings import THICKEST_FOIL, THINNEST_FOIL
from fusilex.core.printing.paste import PASTES
from fusilex.journal.entries import Event


def _check_foil(foil_mm: float) -> None:
    if not THINNEST_FOIL <= foil_mm <= THICKEST_FOIL:
        raise Refused(f"A foil is {THINNEST_FOIL} to {THICKEST_FOIL} mm thick, not {foil_mm:g} mm.")


def _check_paste(paste: str) -> None:
    if paste not in PASTES:
        raise Refused(f"There is no paste called {paste}; there are {', '.join(PASTES)}.")


def printed_panels(batch: Batch) -> list[int]:
    """Panels that carry a print, whose foil and paste no later choice changes."""
    return sorted({b.panel for b in batch.state.boards.values() if b.print is not None})


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
    """Paste from now on: lead-free, leaded or bismuth; in mid-batch with a reason. It settles the window at Reflow
    too.
    """

    paste: str
    reason: str = ""

    def decide(self, batch: Batch) -> Result:
        _check_paste(self.paste)
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
        boards = batch.panel_at(self.panel, "Print")
        _check_foil(self.foil_mm)
        _check_paste(self.paste)
        chosen = batch.state.foil_mm, batch.state.paste
        if (self.foil_mm, self.paste) != chosen:
            raise Refused(f"The next print is with {chosen[0]:g} mm foil and {chosen[1]} paste: choose others first.")
        printed = PanelPrinted(self.panel, float(self.foil_mm), self.paste, self.note)
        return Result([printed, Moved([b.serial for b in boards], "Place")])


class WipePrint(Command, frozen=True):
    """A misprint was wiped off before any part was placed; the panel is to be printed again."""

    panel: int
    reason: str
    cautions: ClassVar[str] = "Print"

    def decide(self, batch: Batch) -> Result:
        there = batch.state.panel_boards(self.panel)
        boards = [b for b in there if b.station in ("Print", "Place") and not b.scrapped]
        if not boards:
            raise Refused(f"Panel {self.panel} has no print to wipe off.")
        if any(b.placed for b in boards):
            raise Refused(f"Parts are on panel {self.panel} already: take them back first.")
        if not self.reason.strip():
            raise Refused("Say what was wrong with the print.")
        happened: list[Event] = [PrintWiped(self.panel, self.reason.strip())]
        if back := [b.serial for b in boards if b.station == "Place"]:
            happened.append(Moved(back, "Print"))
        return Result(happened)


def just_printed(batch: Batch) -> int | None:
    """The panel whose print was made last and is still there; None without one."""
    boards = batch.state.boards.values()
    for made in reversed(batch.state[Printing].prints):
        if any(b.print is made for b in boards):
            return made.panel
    return None


COMMANDS = (ChooseFoil, ChoosePaste, PrintPanel, WipePrint)
