"""The judgement of Release: what a board's record lacks, and every stop behind it that is still open."""

from __future__ import annotations

from collections.abc import Sequence

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.mended import Mended, judge_losses
from fusilex.bench.stations.release.events import SEPARATE
from fusilex.bench.stations.release.getting_ready import judge_ready
from fusilex.core.evidence import Level, every, seen
from fusilex.core.judgement import Judgement
from fusilex.core.labels import label
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say


def judge(batch: Batch) -> list[Judgement]:
    """Is the record of the board good enough to let it go?"""
    board = batch.board
    if batch.step.method == SEPARATE:
        return judge_ready(batch, board)
    behind = [
        (batch.stations[s.station], batch.about(board.serial, s.id)) for s in batch.steps if s.station != "Release"
    ]
    judged = [
        j for station, there in behind if station.about != "batch" and not station.aside for j in station.judge(there)
    ]
    stops = {j.key: j for j in batch.not_overruled(judged)}
    lacking = [
        *(word for station, there in behind for word in station.lacks(there, board)),
        *_parts_missing(batch, board),
    ]
    remarks = {j.key: j for station, there in behind for j in station.remarks(there, board)}
    losses = judge_losses(batch.state[Mended].losses)
    by_reason = _by_reason(batch, board, judged)
    own = [_record(board, lacking, [*by_reason, *remarks.values()]), *losses, *judge_ready(batch, board)]
    return [*own, *stops.values(), *by_reason, *remarks.values()]


def _parts_missing(batch: Batch, board: Board) -> list[str]:
    """Parts that belong on the board and are not on it, whoever had to put them there."""
    there = {*board.placed, *board.soldered}
    gone = [p.ref for p in batch.all_parts if p.ref not in there]
    shown = ", ".join(gone[:4]) + (f" and {len(gone) - 4} more" if len(gone) > 4 else "")
    return [shown] if gone else []


def _record(board: Board, lacking: list[str], left_open: Sequence[Judgement]) -> Judgement:
    """Whether all that the batch asks for was done: what was passed with a reason, left out or not looked at is named
    in the headline.
    """
    if lacking:
        text = say("lacks", serial=board.serial, lacking=tuple(lacking))
        return Judgement("release.record", Level.STOP, board.serial, text, (), say("do it"))
    parts = Quantity("parts", len(board.placed) + len(board.soldered))
    numbers = (parts, Quantity("repairs", len(board.faults)), Quantity("readings", len(board.readings)))
    points = [c for j in left_open for c in j.coverage if not c.complete]
    if left_open:
        told = [say("point", seen=c.seen, of=c.of, what=label(c.what)) for c in points]
        told += [say(_POINTS.get(j.rule, "remark")) for j in left_open if not j.coverage]
        text, do = say("with open points", serial=board.serial, points=tuple(told)), say("keep on label")
        level, missing = Level.UNKNOWN, ("what is open",)
        return Judgement("release.record", level, board.serial, text, numbers, do, (), missing, tuple(points))
    steps, text = (every("steps", 1),), say("complete", serial=board.serial)
    return Judgement("release.record", seen(*steps), board.serial, text, numbers, coverage=steps)


_POINTS = {"release.overruled": "stops overridden", "kit.short": "parts left out", "inspect.unseen": "not inspected"}
"""What a remark without a count is called in the headline."""


def _by_reason(batch: Batch, board: Board, judged: Sequence[Judgement]) -> list[Judgement]:
    """Stops this board passed because somebody had a reason: they go out with it."""
    passed = [(j, why) for j in judged if j.level is Level.STOP and (why := batch.state.overruling(j))]
    if not passed:
        return []
    because = tuple(Quantity(j.headline, why.reason) for j, why in {j.key: (j, why) for j, why in passed}.values())
    text = say("overridden", stops=len(because))
    return [Judgement("release.overruled", Level.CARE, board.serial, text, because, say("in the report"))]
