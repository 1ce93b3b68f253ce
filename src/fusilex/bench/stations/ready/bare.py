"""Commands of Ready about bare boards, and the etching bath of those who make their own."""

from __future__ import annotations

from typing import ClassVar

from msgspec.structs import asdict

from fusilex.bench.batch import Batch
from fusilex.bench.command import Command, Result
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.ready.events import BareCounted, BathNoted
from fusilex.bench.workshop.etching import BathMixed, Etching, ProcessShown, RunEtched
from fusilex.core.bare_boards.etching import EtchRun


class CountBare(Command, frozen=True):
    """Bare panels (or boards) that came in, and whether they are wiped clean."""

    panels: int
    clean: bool
    cautions: ClassVar[str] = "Bare boards"

    def decide(self, batch: Batch) -> Result:
        if not 0 <= self.panels <= 10_000:
            raise Refused(f"Count 0 or more panels, not {self.panels}.")
        return Result([BareCounted(self.panels, self.clean)])


class NoteProcess(Command, frozen=True):
    """The finest track or gap (mm) a maker or one's own process has shown."""

    name: str
    finest_mm: float

    def decide(self, batch: Batch) -> Result:
        if not self.name.strip() or not 0.02 <= self.finest_mm <= 5:
            raise Refused("Name the process and the finest track or gap it has shown, 0.02 to 5 mm.")
        name = self.name.strip()
        return Result([BathNoted(f"what {name} has shown")], [ProcessShown(name, float(self.finest_mm))])


class MixBath(Command, frozen=True):
    """A fresh etching bath."""

    litres: float
    cautions: ClassVar[str] = "Etching"

    def decide(self, batch: Batch) -> Result:
        if not 0.05 <= self.litres <= 50:
            raise Refused("A bath holds 0.05 to 50 litres.")
        return Result([BathNoted("the fresh bath")], [BathMixed(float(self.litres))])


class LogEtch(Command, frozen=True):
    """A run of the bath: minutes until clear, °C, copper thickness (µm), boards in it. What it took corrects the
    rate.
    """

    minutes: float
    celsius: float
    foil_um: float
    boards: int = 1
    cautions: ClassVar[str] = "Etching"

    def decide(self, batch: Batch) -> Result:
        bath = batch.workshop[Etching].bath
        if bath is None:
            raise Refused("Note the bath first: how many litres.")
        if not (0 < self.minutes <= 600 and 0 < self.celsius <= 80 and 0 < self.foil_um <= 210):
            raise Refused("A run takes up to 600 minutes at up to 80 °C on up to 210 µm of copper.")
        if not 1 <= self.boards <= 1000:
            raise Refused(f"A run takes 1 to 1000 boards, not {self.boards}.")
        removed = batch.derived.copper_to_remove_g(self.foil_um) * self.boards
        run = EtchRun(self.minutes, self.celsius, self.foil_um, removed, bath.litres, bath.held_g)
        return Result([BathNoted("the logged etch")], [RunEtched(**asdict(run))])


COMMANDS = (CountBare, NoteProcess, MixBath, LogEtch)
