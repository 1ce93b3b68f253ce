"""Commands while a machine runs: what it placed, what was looked at, what is put right for good, who signs."""

from __future__ import annotations

from collections import Counter
from typing import Any, ClassVar

import msgspec

from fusilex.bench.batch import Batch
from fusilex.bench.command import Command, Result
from fusilex.bench.common.pieces import PartDropped, pieces_counted
from fusilex.bench.common.short_bins import judge_bins
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.place.events import MACHINE, PartsPlaced
from fusilex.bench.stations.place.machine import place_step
from fusilex.bench.stations.place.programmed import fed_of, kept_of
from fusilex.bench.stations.place.running.events import (
    PROOFS,
    RIGHT,
    WRONG,
    PanelRun,
    PartJudged,
    Proof,
    ProofSigned,
    ProofVoided,
)
from fusilex.bench.stations.place.running.proving import judge_proof, lies_of, parts_to_look_at
from fusilex.bench.workshop.losses import PieceLost
from fusilex.bench.workshop.put_right import LinePutRight, PutRight, Right
from fusilex.core.kit.losses import loss_key
from fusilex.journal.entries import Event

MOST_SHIFT_MM = 2.0


class MachineRan(Command, frozen=True):
    """The machine went through a panel: what it put down, as [ref, cell from 1], and every try as [slot, nozzle, ref,
    cell, how it was rejected or nothing].
    """

    panel: int
    put: list[Any]
    tries: list[Any]
    cautions: ClassVar[str] = "Place"

    def decide(self, batch: Batch) -> Result:
        there = batch.panel_at(self.panel, "Place")
        batch = batch.about(there[0].serial, there[0].step)  # wherever the eyes are by now
        boards, step = {b.cell: b for b in there}, there[0].step
        kept = kept_of(batch)
        if kept is None:
            raise Refused("No programme was kept for this step: find one with O.")
        try:
            put = msgspec.convert(self.put, list[tuple[str, int]])
            tries = msgspec.convert(self.tries, list[tuple[str, str, str, int, str]])
        except msgspec.ValidationError as problem:
            raise Refused(f"That is no run: {problem}.") from None
        if stray := sorted({(ref, cell) for ref, cell in put} - kept.labels):
            raise Refused(f"The programme does not place {stray[0][0]} in cell {stray[0][1]}.")
        batch.hold_at(judge_proof(batch, self.panel))
        happened: list[Event] = []
        workshop: list[Event] = []
        by_cell: dict[int, list[str]] = {}
        for ref, cell in put:
            by_cell.setdefault(cell - 1, []).append(ref)
        taken: Counter[str] = Counter()
        for cell, refs in by_cell.items():
            if cell in boards:
                taken.update(batch.lines_of(boards[cell])[r].key for r in refs if r not in boards[cell].placed)
        batch.hold_at(judge_bins(batch, taken))
        lines = {(ref, cell + 1): line for cell, b in boards.items() for ref, line in batch.lines_of(b).items()}
        counts: Counter[tuple[str, str, str, str]] = Counter()
        for slot, nozzle, ref, cell, seen in tries:
            line = lines.get((ref, cell))
            if line is None:
                continue
            counts[slot, nozzle, line.key, seen] += 1
            if seen and seen not in ("jam", "empty"):
                happened.append(PartDropped(boards[cell - 1].serial, ref, line.key))
                workshop.append(PieceLost(loss_key(line.package)))
        tallies = [(*key, n) for key, n in counts.items()]
        happened.append(PanelRun(self.panel, step, tallies))
        done = []
        for cell, refs in by_cell.items():
            if (board := boards.get(cell)) is None:
                continue
            fresh = [r for r in refs if r not in board.placed]
            if not fresh:
                continue
            fed = fed_of(kept, cell + 1, {ref: lines[ref, cell + 1].key for ref in fresh})
            happened.append(PartsPlaced(board.serial, fresh, MACHINE, fed, batch.bins_of(board, fresh)))
            if {p.ref for p in batch.parts_of(board.step, board)} <= {*board.placed, *fresh}:
                counted = pieces_counted(batch, board, [*board.placed, *fresh])
                happened += counted.events
                workshop += counted.workshop
                done.append(board)
        return Result([*happened, *batch.onward(done)], workshop)


class JudgePart(Command, frozen=True):
    """A part of the dry run or the first article was looked at: right, or wrong."""

    proof: str
    ref: str
    cell: int
    verdict: str
    cautions: ClassVar[str] = "Place"

    def decide(self, batch: Batch) -> Result:
        step = place_step(batch).id
        if self.proof not in PROOFS or self.verdict not in (RIGHT, WRONG):
            raise Refused(f"A look is of the {' or the '.join(PROOFS)}, and right or wrong.")
        if (self.ref, self.cell) not in parts_to_look_at(batch):
            raise Refused(f"{self.ref} in cell {self.cell} is not among what the programme places.")
        return Result([PartJudged(step, self.proof, self.ref, self.cell, self.verdict)])


class PutLineRight(Command, frozen=True):
    """A part lies turned or shifted: its line is put right for good, by degrees and mm as the part lies unturned, and
    its parts are to be looked at again.
    """

    ref: str
    turn: float
    dx: float
    dy: float
    why: str
    cautions: ClassVar[str] = "Place"

    def decide(self, batch: Batch) -> Result:
        step = place_step(batch).id
        line = batch.line_of.get(self.ref)
        if line is None or self.ref not in {p.ref for p in batch.parts_of(step)}:
            raise Refused(f"{self.ref} is not placed here.")
        if not -360 <= self.turn <= 360 or max(abs(self.dx), abs(self.dy)) > MOST_SHIFT_MM:
            raise Refused(f"A line is put right by up to 360° and {MOST_SHIFT_MM:g} mm.")
        if not self.turn % 360 and not self.dx and not self.dy:
            raise Refused("That changes nothing: give degrees, or mm.")
        source = f"{self.why or 'seen'}, {batch.name}"
        put = batch.workshop[PutRight]
        was = Right() if line.article in put.articles else put.of(line)  # kept under an older name: taken over
        right = LinePutRight(line.article, (was.turn + self.turn) % 360, was.dx + self.dx, was.dy + self.dy, source)
        return Result([ProofVoided(step, list(line.refs))], [right])


class SignProof(Command, frozen=True):
    """Every part of the dry run or the first article is right: sign it."""

    proof: str
    cautions: ClassVar[str] = "Place"

    def decide(self, batch: Batch) -> Result:
        step = place_step(batch).id
        if self.proof not in PROOFS:
            raise Refused(f"What is signed is the {' or the '.join(PROOFS)}.")
        wanted, looked = parts_to_look_at(batch), batch.state[Proof].looked.get((step, self.proof), {})
        if not wanted:
            raise Refused("There is nothing to sign: find a programme first.")
        unseen = [f"{ref} in cell {cell}" for ref, cell in wanted if (ref, cell) not in looked]
        if unseen:
            raise Refused(f"{len(unseen)} parts were not looked at yet, {unseen[0]} first.")
        wrong = [ref for (ref, _), verdict in looked.items() if verdict == WRONG]
        if wrong:
            raise Refused(f"{wrong[0]} was wrong: put its line right, and look again.")
        return Result([ProofSigned(step, self.proof, lies_of(batch))])


COMMANDS = (MachineRan, JudgePart, PutLineRight, SignProof)
