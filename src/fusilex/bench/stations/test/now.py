"""What to do now at Test, and its cautions."""

from __future__ import annotations

import re

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.faults import to_repair
from fusilex.bench.now import Now, elsewhere
from fusilex.bench.stations.test.commands import doubt
from fusilex.bench.stations.test.judging import shorts
from fusilex.core.electrical.probes import ProbePair
from fusilex.core.judgement import Level

CAUTIONS = {
    "Test": (
        "Power off and discharge the board before resistance readings.",
        "First power with a current limit. Anything on mains is for a qualified person under local rules.",
    ),
}
_CELL = re.compile(r"\b(coin|cell|battery|CR\d{4}|BR\d{4}|LR\d{2,4})", re.IGNORECASE)


def cautions_here(batch: Batch) -> tuple[str, ...]:
    """A cell feeds the board with the power off: it comes out, where there is one."""
    cells = [p.ref for p in batch.design.parts if p.populated and _CELL.search(f"{p.value} {p.package.code}")]
    return (f"Take the cell out of {', '.join(cells)}.",) if cells else ()


def now(batch: Batch) -> Now:
    """The next pair to probe, or what the readings come to."""
    board, plan = batch.board, batch.derived.plan
    if board.step != batch.step.id:
        return elsewhere(batch)
    pair = next_pair(batch, board)
    if pair is None:
        return _all_read(batch, board)
    nets = f"{pair.a.net} and {pair.b.net}, {pair.gap:.2f} mm apart."
    done = sum(p.key in board.readings for p in plan) / len(plan)
    return Now(f"Probe {pair.a.name} and {pair.b.name}", f"{nets} Type what the meter says, Enter.", done)


def next_pair(batch: Batch, board: Board) -> ProbePair | None:
    """The pair to probe next: those of parts that were mended first, then as planned; None when all were read."""
    mended = {f.ref for f in board.faults if f.repaired}
    left = [p for p in batch.derived.plan if p.key not in board.readings]
    return min(left, key=lambda p: not {p.a.ref, p.b.ref} & mended, default=None)


def _all_read(batch: Batch, board: Board) -> Now:
    plan = batch.derived.plan
    if joined := len(shorts(batch, board)):
        said = f"{joined} pair{'s are' if joined > 1 else ' is'} joined."
        return Now(f"Fail board {board.serial}", f"{said} X sends it to Rework.", 1.0)
    if faults := to_repair(batch, board):
        return Now(f"Fail board {board.serial}", f"{faults[0].ref}: {faults[0].word}. X sends it to Rework.", 1.0)
    doubtful = sum(p.level(board.readings[p.key][0]) is Level.UNKNOWN for p in plan)
    if doubtful:
        said = f"{doubtful} reading{'s' if doubtful > 1 else ''} cannot be judged: see the judgements."
        return Now(f"Look at board {board.serial}", said, 1.0)
    if why := doubt(batch, board):
        return Now(f"Test board {board.serial}", f"{why}: ring out neighbours by hand. Space passes it with a note.")
    return Now(f"Pass board {board.serial}", "All pairs read apart. Space passes it.", 1.0)
