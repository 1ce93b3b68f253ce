"""Hot air in held steps at the bench: the steps that were held over each part."""

from __future__ import annotations

from typing import Any, ClassVar

from msgspec import Struct, field

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.command import Command, Result
from fusilex.bench.refusal import Refused
from fusilex.bench.state import BatchState
from fusilex.bench.workshop.hot_air_profiles import LONGEST_S, HotAirProfile
from fusilex.bench.workshop.records import Records
from fusilex.journal.entries import Entry, Event


class StepHeld(Struct, frozen=True):
    """A step of a profile that was held: its number from 1, for how long (s), and whether the part drifted."""

    profile: str
    number: int
    seconds: float
    drifted: bool
    at: str


class HotAir(Struct):
    """Steps held so far, by board and part; a first step begins anew."""

    steps: dict[tuple[str, str], list[StepHeld]] = field(default_factory=dict)


class AirHeld(Event, frozen=True):
    """A step of hot air was held over a part of a board."""

    kind: ClassVar[str] = "air_held"
    about: ClassVar[str] = "board"
    board: str
    ref: str
    profile: str
    number: int
    seconds: float
    drifted: bool = False

    def apply(self, state: BatchState, entry: Entry) -> None:
        row = StepHeld(self.profile, self.number, self.seconds, self.drifted, entry.at)
        before = state[HotAir].steps.get((self.board, self.ref), [])
        state[HotAir].steps[self.board, self.ref] = [row] if self.number == 1 else [*before, row]

    @property
    def words(self) -> str:
        return f"step {self.number} of the air over {self.ref}"


class HoldAir(Command, frozen=True):
    """A step of a profile was held over a part for so long (s); where it `drifted`, the profile ends there."""

    board: str
    ref: str
    profile: str
    number: int
    seconds: float
    drifted: bool = False
    cautions: ClassVar[str] = "Held steps"

    def decide(self, batch: Batch) -> Result:
        board = batch.state.boards.get(self.board)
        if board is None or board.scrapped or board.station not in ("Reflow", "Rework"):
            raise Refused("Hot air is for a board at Reflow or Rework.")
        if self.ref not in batch.as_built(board).by_ref:
            raise Refused(f"There is no {self.ref} on this board.")
        profile = batch.workshop[Records].all(HotAirProfile).get(self.profile)
        if profile is None:
            raise Refused(f"There are no held steps called {self.profile}.")
        if not 0 <= self.seconds <= LONGEST_S:
            raise Refused("A step is held for two hours at most.")
        before = batch.state[HotAir].steps.get((self.board, self.ref), [])
        goes_on = bool(before) and before[-1].profile == self.profile and not before[-1].drifted
        following = before[-1].number + 1 if goes_on else 1
        if self.number not in (1, following) or self.number > len(profile.steps):
            raise Refused(f"Step {min(following, len(profile.steps))} comes next, or step 1 begins anew.")
        step = profile.steps[self.number - 1]
        if self.seconds < step.least_s and not self.drifted:
            raise Refused(f"{step.name} is held for {step.least_s:g} s at least; {self.seconds:.0f} are done.")
        seconds = round(self.seconds, 1)
        return Result([AirHeld(self.board, self.ref, self.profile, self.number, seconds, self.drifted)])


COMMANDS = (HoldAir,)
EVENTS = (AirHeld,)
SLICES = (HotAir,)

CAUTIONS = {
    "Held steps": (
        "Lift the gun away before it is switched off: its last burst blows parts off.",
        "Hot air, nozzle and plate burn for minutes after; nothing that burns beside them, never leave them alone.",
        "Fumes: extraction or outside air, and a suitable mask.",
        "Parts are sensitive to static: wrist strap on, gun earthed. Their sheets say what heat they take.",
    ),
}


def papers(batch: Batch, board: Board) -> list[dict[str, Any]]:
    """Steps that were held over parts of a board."""
    rows = (
        (ref, row)
        for (serial, ref), steps in batch.state[HotAir].steps.items()
        for row in steps
        if serial == board.serial
    )
    return [
        {"ref": ref, "profile": r.profile, "step": r.number, "seconds": r.seconds, "drifted": r.drifted, "at": r.at}
        for ref, r in rows
    ]
