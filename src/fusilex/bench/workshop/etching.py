"""The etching bath in use and the runs it took; what processes have shown of tracks and gaps."""

from __future__ import annotations

from typing import ClassVar

import msgspec
from msgspec import Struct, field

from fusilex.bench.state import WorkshopState
from fusilex.core.bare_boards.etching import EtchRun, Refit, refit
from fusilex.journal.entries import Entry, Event


class Bath(Struct, frozen=True):
    """Litres of etchant, and the copper (g) it holds by now."""

    litres: float
    held_g: float
    at: str


class Etching(Struct):
    """The bath, its runs and those before, and the finest feature (mm) by process."""

    bath: Bath | None = None
    runs: list[EtchRun] = field(default_factory=list)
    shown: dict[str, float] = field(default_factory=dict)

    @property
    def rate(self) -> Refit:
        """Minutes here against minutes by rule, from the logged runs."""
        return refit(self.runs)


class ProcessShown(Event, frozen=True):
    """A process has shown tracks or gaps this fine."""

    kind: ClassVar[str] = "process_shown"
    process: str
    mm: float

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        state[Etching].shown[self.process] = self.mm


class BathMixed(Event, frozen=True):
    """A fresh bath."""

    kind: ClassVar[str] = "bath_mixed"
    litres: float

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        state[Etching].bath = Bath(self.litres, 0.0, entry.at)


class RunEtched(Event, frozen=True):
    """Boards went through the bath."""

    kind: ClassVar[str] = "run_etched"
    minutes: float
    celsius: float
    foil_um: float
    removed_g: float
    bath_l: float
    held_g: float

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        etching = state[Etching]
        etching.runs.append(EtchRun(**msgspec.structs.asdict(self)))
        if etching.bath:
            etching.bath = Bath(etching.bath.litres, etching.bath.held_g + self.removed_g, etching.bath.at)


EVENTS = (ProcessShown, BathMixed, RunEtched)
SLICES = (Etching,)
