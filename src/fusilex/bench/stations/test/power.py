"""First power of a board: low voltage first, at a limit from what its parts draw, ended at once when it draws more."""

from __future__ import annotations

from typing import ClassVar

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.command import Command, Result
from fusilex.bench.common.standing import title
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.test.events import BoardPowered, Powered, Testing
from fusilex.bench.stations.test.planning import unread
from fusilex.bench.stations.test.verdicts import stops
from fusilex.bench.workshop.proof_kinds import FirstPower
from fusilex.bench.workshop.records import Records
from fusilex.core.electrical.power import Draw, PowerStep, current_limit, expected_draw, power_level, power_steps
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

CAUTION = "First power"
LONGEST_S = 3600.0


def power_of(batch: Batch) -> FirstPower | None:
    """The record of first power for this batch's design."""
    return next((p for p in batch.workshop[Records].all(FirstPower).values() if for_design(batch, p.design)), None)


def for_design(batch: Batch, design: str) -> bool:
    """True for a record's design that is this batch's."""
    return bool(design) and design.lower() in (batch.state.opened["design"].lower(), title(batch.state).lower())


def draw_of(batch: Batch, board: Board, power: FirstPower) -> Draw:
    """What a board as it is built is expected to draw."""
    return expected_draw([p for p in batch.built(board).values() if p.populated], power.draws_ma)


def steps_of(batch: Batch, board: Board, power: FirstPower) -> tuple[PowerStep, ...]:
    """The steps of its first power."""
    return power_steps(power.volts, current_limit(draw_of(batch, board, power), power.margin))


def held(batch: Batch, board: Board) -> list[Powered]:
    """Steps held since hands were last at the board."""
    since = max((at for at, _ in board.mended), default="")
    return [p for p in batch.state[Testing].powered.get(board.serial, []) if p.at > since]


def next_step(batch: Batch, board: Board) -> PowerStep | None:
    """The step of power to hold next, None when all were or nothing says how."""
    power = power_of(batch)
    if power is None:
        return None
    done = {p.step for p in held(batch, board) if p.level == Level.GO.value}
    return next((s for s in steps_of(batch, board, power) if s.name not in done), None)


def due_before(batch: Batch, board: Board) -> str:
    """Which readings are due before power goes on a board; empty when none is."""
    left = unread(batch, board)
    many = f"{len(left)} readings are" if len(left) > 1 else f"{left[0].key} is" if left else ""
    return f"No power yet: {many} not taken." if left else ""


def judge_power(batch: Batch, board: Board) -> list[Judgement]:
    """A first power that ended it, or that told nothing; a rail that is none."""
    last = held(batch, board)[-1:]
    found = []
    power = power_of(batch)
    if power is None:
        text, do, missing = say("no record"), say("write the record"), ("how this design gets its power",)
        return [Judgement("test.power", Level.UNKNOWN, "record", text, (), do, (), missing)]
    if power.rail not in {pad.net for pad in batch.design.pads}:
        text, do, missing = say("net not found", rail=power.rail), say("correct the record"), ("the supply net",)
        found.append(Judgement("test.power", Level.UNKNOWN, power.rail, text, (), do, (), missing))
    for one in last:
        if one.level == Level.GO.value:
            continue
        stop = one.level == Level.STOP.value
        text = say("ended" if stop else "not conclusive", serial=board.serial, said=one.said)
        numbers = (
            Quantity("read", one.volts, "V"),
            Quantity("drew", one.milliamps, "mA"),
            Quantity("after", one.seconds, "s"),
        )
        do, whole = say("supply off" if stop else "hold to the end"), () if stop else ("a whole power-up",)
        level = Level.STOP if stop else Level.UNKNOWN
        found.append(Judgement("test.power", level, board.serial, text, numbers, do, (), whole))
    return found


class HoldPower(Command, frozen=True):
    """A step of power was held: volts at the board, milliamps drawn, for so many seconds; `warm` names a part that got
    too warm to touch, '' for none.
    """

    board: str
    volts: float
    milliamps: float
    seconds: float
    warm: str = ""
    cautions: ClassVar[str] = CAUTION

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Test")
        power, step = power_of(batch), next_step(batch, board)
        if power is None or step is None:
            raise Refused("Nothing says how this design gets its power: note it in the workshop (F4), First power.")
        if due := due_before(batch, board):
            raise Refused(due)
        batch.hold_at(stops(batch, board), "No power yet")
        if not 0 <= self.seconds <= LONGEST_S or not 0 <= self.volts <= 1000 or not 0 <= self.milliamps <= 1e6:
            raise Refused("Volts, milliamps and seconds are numbers from 0 on.")
        level = power_level(step, self.volts, self.milliamps, self.seconds)
        said = _said(step, self.volts, self.milliamps, level)
        if self.warm.strip():
            level, said = Level.STOP, f"{self.warm.strip()} got warm"
        read = (self.volts, self.milliamps, round(self.seconds, 1))
        return Result([BoardPowered(board.serial, Powered(power.rail, step.name, *read, level.value, said))])


def _said(step: PowerStep, volts: float, milliamps: float, level: Level) -> str:
    if milliamps >= step.most_ma:
        return f"it drew {milliamps:g} mA of {step.most_ma:g}"
    if volts < step.least_v:
        return f"only {volts:g} V of {step.volts:g} at the board"
    if volts > step.most_v:
        return f"{volts:g} V at the board, {step.volts:g} were to be set"
    return "" if level is Level.GO else f"held less than {step.hold_s:g} s"


COMMANDS = (HoldPower,)
