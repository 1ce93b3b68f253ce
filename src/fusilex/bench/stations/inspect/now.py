"""What to do now at Inspect."""

from __future__ import annotations

from collections.abc import Sequence

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.doubtful import left_in_doubt
from fusilex.bench.common.faults import to_repair
from fusilex.bench.now import Now, elsewhere
from fusilex.bench.stations.inspect.touring import BEFORE, Field, fields_of, unseen
from fusilex.core.design.model import Part
from fusilex.core.inspection.expect import joints_look, mark_lies

MOST_NAMED, MOST_MARKS = 4, 3


def now(batch: Batch) -> Now:
    """The next field of the microscope; after a repair, those with what was mended; when all are seen, the board goes
    on.
    """
    board = batch.board
    if board.step != batch.step.id:
        return elsewhere(batch)
    fields, left = fields_of(batch), unseen(batch, board)
    done = 1 - len(left) / len(fields) if fields else 1.0
    faults = to_repair(batch, board)
    if left:
        return _field(batch, board, left[0], done)
    if faults:
        many = f"{len(faults)} fault{'s' if len(faults) > 1 else ''} on {board.serial}"
        return Now(many, "Mark what else you see. Space sends the board to Rework.", done)
    return Now(f"Board {board.serial} is seen", "Every field was looked through. Space when all is well.", done)


def _field(batch: Batch, board: Board, field: Field, done: float) -> Now:
    """What to look at in a field."""
    parts = batch.built(board)
    here = [parts[ref] for ref in field.refs if ref in parts]
    again = [f for f in board.faults if f.repaired and f.ref in field.refs]
    doubts = dict(left_in_doubt(batch, board))
    unsure = [f"{ref} {doubts[ref]}" for ref in field.refs if ref in doubts]
    title = f"Look again at {again[0].ref}" if again else f"Look at {named([p.ref for p in here])}"
    told = [f"Mended: {', '.join(f'{f.place} ({f.word})' for f in again[:3])}"] if again else []
    told += [f"First: {'; '.join(unsure[:2])}"] if unsure else []
    if batch.step.method == BEFORE:
        told.append("All there, square, the right way round")
    elif len(here) == 1 or not unsure:
        largest = max(here, key=lambda p: len(p.joints), default=None)
        told += [f"{largest.ref}: {joints_look(largest)}"] if largest else []
    told += [f"Marks: {marks}"] if (marks := marks_of(here)) else []
    return Now(title, f"{'. '.join(told)}. Space when all is well.", done)


def named(refs: Sequence[str]) -> str:
    """A few references in words.

    >>> named(["U1", "C1"]), named(["R1", "R2", "R3", "R4", "R5", "R6"])
    ('U1 and C1', 'R1, R2, R3 and 3 more')
    """
    if len(refs) <= MOST_NAMED:
        return " and ".join((", ".join(refs[:-1]), refs[-1])) if len(refs) > 1 else "".join(refs)
    return f"{', '.join(refs[:3])} and {len(refs) - 3} more"


def marks_of(parts: Sequence[Part]) -> str:
    """Where marks lie, of the parts that have one."""
    found = [f"{p.ref} {mark_lies(p) or 'by the silk'}" for p in parts if p.polarity != "none"]
    more = f" and {len(found) - MOST_MARKS} more" if len(found) > MOST_MARKS else ""
    return ", ".join(found[:MOST_MARKS]) + more
