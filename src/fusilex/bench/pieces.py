"""Pieces that went onto boards, counted once each, for this shop's own losses."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import TYPE_CHECKING

from fusilex.bench.commands import Result
from fusilex.core.kit.losses import loss_key
from fusilex.journal.projection import Board
from fusilex.journal.store import Event

if TYPE_CHECKING:
    from fusilex.bench.session import Bench

REPLACED_WORDS = ("missing", "wrong part", "cracked")
"""Faults that are repaired with another piece: the first one is lost."""


def pieces_counted(bench: Bench, board: Board, refs: Sequence[str]) -> Result:
    """The pieces of a board that were not counted yet, however often they were taken off and put back since."""
    fresh = [ref for ref in refs if ref not in board.counted]
    if not fresh:
        return Result()
    bodies = Counter(loss_key(bench.design.part_by_ref[ref].package) for ref in fresh)
    counted = Event("pieces_counted", {"board": board.serial, "refs": fresh})
    return Result([counted], [Event("pieces_placed", {"bodies": dict(bodies)})])


def pieces_back(bench: Bench, board: Board, ref: str) -> Result:
    """A part that was counted and comes off again is not placed any more."""
    if ref not in board.counted:
        return Result()
    bodies = {loss_key(bench.design.part_by_ref[ref].package): -1}
    return Result(
        [Event("pieces_uncounted", {"board": board.serial, "refs": [ref]})],
        [Event("pieces_placed", {"bodies": bodies})],
    )


def piece_replaced(bench: Bench, board: Board, ref: str, word: str) -> Result:
    """What a repair takes out of a bin: nothing, or another piece in the place of one that is lost."""
    line = bench.line_of.get(ref)
    if word not in REPLACED_WORDS or line is None:
        return Result()
    counted = pieces_counted(bench, board, [ref])
    replaced = Event("part_replaced", {"board": board.serial, "ref": ref, "line": line.key})
    return Result(
        [*counted.events, replaced], [*counted.workshop, Event("piece_lost", {"body": loss_key(line.package)})]
    )
