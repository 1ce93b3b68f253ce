"""Commands of the meter: readings, ports without a beep, what is left unread, time and sample."""

from __future__ import annotations

import math
from typing import ClassVar

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.command import Command, Result
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.test.events import MinutesSet, PortSilent, ReadingTaken, ReadingWaived, SampleDrawn
from fusilex.bench.stations.test.planning import (
    HEARD_FROM_OHM,
    beeps_below,
    heard,
    leaves_open,
    pairs_of,
    plan_for,
    unread,
)
from fusilex.core.electrical.probes import ProbePair
from fusilex.core.evidence import Level
from fusilex.core.measuring.sampling import boards_to_test, drawn
from fusilex.core.values import parse_reading

MOST_MINUTES = 240.0


class TakeReading(Command, frozen=True):
    """What the meter says between the pads of a pair, such as ``2.2M`` or ``OL``."""

    board: str
    pair: str
    text: str
    cautions: ClassVar[str] = "Test"

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Test")
        pair = pairs_of(batch, board, [self.pair]).get(self.pair)
        if pair is None:
            raise Refused(f"{self.pair} is not in the probe plan.")
        try:
            ohm = parse_reading(self.text)
        except ValueError as error:
            raise Refused(f"{error}.") from error
        meter = leaves_open(batch)
        bad = Level.STOP in (pair.level(ohm, meter), pair.value_level(ohm, meter))
        shown = ohm if math.isfinite(ohm) else None
        return Result([ReadingTaken(board.serial, self.pair, shown, self.text.strip(), bad)])


class HearPort(Command, frozen=True):
    """One tip parked, the other walked over the port's unread pairs, and the beeper stayed silent."""

    board: str
    port: str
    cautions: ClassVar[str] = "Test"

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Test")
        beeps = beeps_below(batch)
        if beeps < HEARD_FROM_OHM:
            text = f"The beeper sounds up to {beeps:g} Ω only: that tells no bridge. Type readings"
            raise Refused(f"{text}, or correct it in the workshop (F4).")
        pairs = by_ear(batch, board, self.port)
        if not pairs:
            raise Refused("No pair is left here that a beeper could tell: type what the meter says.")
        return Result([PortSilent(board.serial, [p.key for p in pairs], beeps)])


class WaiveReading(Command, frozen=True):
    """A pair is left unread on a board, for a reason."""

    board: str
    pair: str
    reason: str
    cautions: ClassVar[str] = "Test"

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board, "Test")
        if self.pair not in [p.key for p in unread(batch, board)]:
            raise Refused(f"{self.pair} of board {board.serial} is not waiting to be read.")
        if not self.reason.strip():
            raise Refused("Say why it is not read: that stands in the board's papers.")
        return Result([ReadingWaived(board.serial, self.pair, self.reason.strip())])


class SetMinutes(Command, frozen=True):
    """So many minutes are there for the readings of a board; 0 for all of them that keep neighbours and supplies
    apart.
    """

    minutes: float

    def decide(self, batch: Batch) -> Result:
        if not 0 <= self.minutes <= MOST_MINUTES:
            raise Refused(f"Minutes for readings are 0 to {MOST_MINUTES:g}, not {self.minutes:g}.")
        return Result([MinutesSet(self.minutes or None)])


class DrawSample(Command, frozen=True):
    """Boards are drawn to be tested in full, so that with so much confidence (per cent) at most `most_bad` of the batch
    are bad when those are good. A confidence of 0: every board is tested in full.
    """

    most_bad: int
    confidence: float

    def decide(self, batch: Batch) -> Result:
        if not self.confidence:
            return Result([SampleDrawn(0, 0.0, [])])
        boards = [b.serial for b in batch.state.boards.values() if not b.scrapped]
        if not 50 <= self.confidence < 100:
            raise Refused(f"A confidence is 50 to 99.9 per cent, not {self.confidence:g}.")
        if not 0 <= self.most_bad < len(boards):
            raise Refused(f"At most {len(boards) - 1} of {len(boards)} boards may be bad, not {self.most_bad}.")
        count = boards_to_test(len(boards), self.most_bad, self.confidence / 100)
        seed = f"{batch.state.opened['at']} {batch.state.opened['batch']}"
        chosen = drawn(boards, count, seed, boards[0])
        return Result([SampleDrawn(self.most_bad, self.confidence / 100, chosen)])


def by_ear(batch: Batch, board: Board, port: str) -> list[ProbePair]:
    """Pairs of a port, not read yet, that a beeper tells."""
    plan, left = plan_for(batch, board), {p.key for p in unread(batch, board)}
    beeps = beeps_below(batch)
    found = [p for p in plan.ports if p.name == port]
    pairs = [plan.pairs[r.key] for one in found for r in one.readings]
    return [p for p in pairs if p.key in left and heard(p, beeps)]


COMMANDS = (TakeReading, HearPort, WaiveReading, SetMinutes, DrawSample)
