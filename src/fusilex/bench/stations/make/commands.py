"""Commands of Make."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar

from msgspec.structs import asdict

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.command import Command, Result
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.make.events import PanelMade
from fusilex.bench.stations.make.judging import judged
from fusilex.bench.workshop.etching import Etching, ProcessShown, RunEtched
from fusilex.core.bare_boards.etching import EtchRun
from fusilex.journal.entries import Event

NUMBERS: dict[str, dict[str, tuple[float, float]]] = {
    "cut": {},
    "transfer": {"passes": (1, 50), "celsius": (100, 250)},
    "look": {"breaks": (0, 999), "pinholes": (0, 999), "touched": (0, 1998)},
    "etch": {"celsius": (5, 80), "copper_um": (5, 210)},
    "strip": {},
    "drill": {"smallest_mm": (0.1, 10), "broken": (0, 99), "run_out_mm": (0, 2)},
    "look again": {"finest_mm": (0.02, 5)},
}
"""What goes with each method, and the ranges it makes sense in."""
OWN_PROCESS = "own etching"


class MakePanel(Command, frozen=True):
    """A step of making a panel is done, with its numbers."""

    panel: int
    minutes: float
    numbers: Mapping[str, float]
    cautions: ClassVar[str] = "Make"

    def decide(self, batch: Batch) -> Result:
        boards = batch.whole_panel(self.panel, "Make")
        if batch.steps.by_id[boards[0].step].method == "etch":
            raise Refused("The bath has cautions of its own: note the etch with its minutes, °C and µm.")
        return made(batch, boards, self.panel, self.minutes, self.numbers)


class EtchPanel(Command, frozen=True):
    """A panel was etched: minutes until it was clear, the bath's °C, the copper's µm; the bath's rate learns of it."""

    panel: int
    minutes: float
    celsius: float
    copper_um: float
    cautions: ClassVar[str] = "Etching"

    def decide(self, batch: Batch) -> Result:
        boards = batch.whole_panel(self.panel, "Make")
        step = batch.steps.by_id[boards[0].step]
        if step.method != "etch":
            raise Refused(f"Panel {self.panel} is at {batch.steps.label(step.id)}, not in the bath.")
        bath = batch.workshop[Etching].bath
        if bath is None:
            raise Refused("Note the bath first, under Bare boards at Ready: how many litres.")
        result = made(batch, boards, self.panel, self.minutes, {"celsius": self.celsius, "copper_um": self.copper_um})
        removed = batch.derived.copper_to_remove_g(self.copper_um) * len(boards)
        run = EtchRun(self.minutes, self.celsius, self.copper_um, removed, bath.litres, bath.held_g)
        return Result(result.events, [RunEtched(**asdict(run))])


def made(batch: Batch, boards: list[Board], panel: int, minutes: float, numbers: Mapping[str, float]) -> Result:
    """A step of a panel is done, and its boards go on; with a stop that nobody overruled they stay until it is done
    again or somebody has a reason. Raises `Refused` for numbers that make no sense.
    """
    step = batch.steps.by_id[boards[0].step]
    wanted = NUMBERS[step.method]
    if not 0 < minutes <= 1440:
        raise Refused("It took some minutes, up to a day.")
    if set(numbers) != set(wanted):
        raise Refused(f"To {step.method} goes with {', '.join(wanted) or 'minutes alone'}.")
    for name, (low, high) in wanted.items():
        if not low <= numbers[name] <= high:
            raise Refused(f"{name.replace('_', ' ')} is {low:g} to {high:g}, not {numbers[name]:g}.")
    given = {name: float(value) for name, value in numbers.items()}
    shop: list[Event] = [ProcessShown(OWN_PROCESS, given["finest_mm"])] if step.method == "look again" else []
    noted = PanelMade(panel, step.id, step.method, float(minutes), given)
    stays = batch.not_overruled(judged(batch, panel, step.method, given))
    return Result([noted] if stays else [noted, *batch.onward(boards)], shop)


COMMANDS = (MakePanel, EtchPanel)
