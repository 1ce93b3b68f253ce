"""What happens at Print: prints, wiped ones, and from which panel on another foil or paste."""

from __future__ import annotations

from typing import ClassVar

from msgspec import Struct, field

from fusilex.bench.boards import PastePrint
from fusilex.bench.state import BatchState
from fusilex.bench.stations.print.foil_events import Foil, Run
from fusilex.core.quantities import MM, write
from fusilex.journal.entries import Entry, Event


class Wiped(Struct, frozen=True):
    """A misprint that was wiped off."""

    at: str
    panel: int
    reason: str
    step: str = "Print"


class Changed(Struct, frozen=True):
    """Another foil or paste in mid-batch: `what` it is now, from which panel on, why."""

    at: str
    what: str
    from_panel: int
    reason: str


class Printing(Struct):
    """Prints in order; those wiped off stay in it, and are named in `wiped`. By number how many prints there were since
    the foil was wiped beneath, this one too.
    """

    prints: list[PastePrint] = field(default_factory=list)
    wiped: list[Wiped] = field(default_factory=list)
    changes: list[Changed] = field(default_factory=list)
    jar: str = ""
    since_wipe: dict[int, int] = field(default_factory=dict)


def _change(state: BatchState, entry: Entry, what: str, reason: str) -> None:
    printing = state[Printing]
    if printing.prints:
        printed = {p.panel for p in printing.prints}
        panel = next((n for n in state.panels if n not in printed), max(state.panels, default=0) + 1)
        printing.changes.append(Changed(entry.at, what, panel, reason))


class FoilChosen(Event, frozen=True):
    """Another foil from now on."""

    kind: ClassVar[str] = "foil_chosen"
    foil_mm: float
    reason: str = ""

    def apply(self, state: BatchState, entry: Entry) -> None:
        _change(state, entry, f"{self.foil_mm:g} mm foil", self.reason)
        state.foil_mm = self.foil_mm

    @property
    def words(self) -> str:
        return f"the {write(self.foil_mm, MM)} foil"


class PasteChosen(Event, frozen=True):
    """Another paste from now on. It settles the window at Reflow too."""

    kind: ClassVar[str] = "paste_chosen"
    paste: str
    reason: str = ""

    def apply(self, state: BatchState, entry: Entry) -> None:
        _change(state, entry, f"{self.paste} paste", self.reason)
        state.paste = self.paste

    @property
    def words(self) -> str:
        return f"the {self.paste} paste"


class PanelPrinted(Event, frozen=True):
    """Paste is on a panel."""

    kind: ClassVar[str] = "panel_printed"
    about: ClassVar[str] = "boards"
    panel: int
    foil_mm: float
    paste: str
    note: str = ""
    step: str = "Print"
    boards: list[str] = []
    jar: str = ""
    lay: list[float] = []

    def apply(self, state: BatchState, entry: Entry) -> None:
        printing = state[Printing]
        number = len(printing.prints) + 1
        made = PastePrint(
            number, entry.at, self.panel, self.foil_mm, self.paste, self.note, self.step, self.jar, tuple(self.lay)
        )
        printing.prints.append(made)
        if "stroke" not in state[Run].stages.get((self.step, self.panel), ()):
            state[Foil].strokes[self.step] += 1
        foil = state[Foil]
        printing.since_wipe[number] = foil.strokes[self.step] - foil.wiped_after[self.step]
        state[Run].accepted(self.step, self.panel, number)
        for board in state.panel_boards(self.panel):
            if not self.boards or board.serial in self.boards:
                board.prints[self.step] = made

    @property
    def words(self) -> str:
        return f"the print of panel {self.panel}"


class PrintWiped(Event, frozen=True):
    """A misprint came off again."""

    kind: ClassVar[str] = "print_wiped"
    about: ClassVar[str] = "panel"
    panel: int
    reason: str
    step: str = "Print"

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Printing].wiped.append(Wiped(entry.at, self.panel, self.reason, self.step))
        state[Run].anew(self.step, self.panel)
        state[Run].misprints += 1
        for board in state.panel_boards(self.panel):
            board.prints.pop(self.step, None)

    @property
    def words(self) -> str:
        return f"wiping off the print of panel {self.panel}"


EVENTS = (FoilChosen, PasteChosen, PanelPrinted, PrintWiped)
