"""The judgement of Release: what a board's record lacks, and every stop behind it that is still open."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.core.judgement import Because, Judgement, Level


def judge(batch: Batch) -> list[Judgement]:
    """Is the record of the board good enough to let it go?"""
    board = batch.board
    behind = [s for s in batch.stations if s.name != "Release"]
    stops = {
        j.key: j
        for station in behind
        if station.about != "batch" and not station.aside
        for j in batch.not_overruled(station.judge(batch))
    }
    lacking = [word for station in behind for word in station.lacks(batch, board)]
    remarks = [j for station in behind for j in station.remarks(batch, board)]
    return [_record(board, lacking), *stops.values(), *_by_reason(batch, board), *remarks]


def _record(board: Board, lacking: list[str]) -> Judgement:
    if lacking:
        text = f"Board {board.serial} lacks {', '.join(lacking)}"
        do = "Take it through the station that is missing."
        return Judgement("release.record", Level.STOP, board.serial, text, (), do)
    parts = Because("parts", len(board.placed) + len(board.soldered))
    numbers = (parts, Because("repairs", len(board.faults)), Because("readings", len(board.readings)))
    return Judgement("release.record", Level.GO, board.serial, f"Board {board.serial} is complete", numbers)


def _by_reason(batch: Batch, board: Board) -> list[Judgement]:
    """Stops this board passed because somebody had a reason: they go out with it."""
    passed = [
        (j, why)
        for station in batch.stations
        if station.about != "batch" and station.name != "Release"
        for j in station.judge(batch)
        if j.level is Level.STOP and (why := batch.state.overruling(j))
    ]
    if not passed:
        return []
    because = tuple(Because(j.headline, why.reason) for j, why in {j.key: (j, why) for j, why in passed}.values())
    count = len(because)
    text = f"{count} stop{'s were' if count > 1 else ' was'} overruled with a reason"
    return [Judgement("release.overruled", Level.CARE, board.serial, text, because, "They stand in its papers.")]
