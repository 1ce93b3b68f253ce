"""The judgement of Release: what a board's record lacks."""

from __future__ import annotations

from typing import TYPE_CHECKING

from fusilex.core.judgement import Because, Judgement, Level
from fusilex.journal.projection import Board

if TYPE_CHECKING:
    from fusilex.bench.session import Bench


def judge_record(bench: Bench, board: Board) -> list[Judgement]:
    """Is the record of a board good enough to let it go?"""
    lacking = [
        word
        for word, there in (
            ("print", board.print_number),
            ("oven load", board.load),
            ("inspection", board.inspections),
            ("passed test", any(t["passed"] for t in board.tests)),
        )
        if not there
    ]
    if board.open_faults:
        lacking.append("repair of " + ", ".join(f.ref for f in board.open_faults))
    if lacking:
        return [
            Judgement(
                "release.record",
                Level.STOP,
                board.serial,
                f"Board {board.serial} lacks {', '.join(lacking)}",
                (),
                "Take it through the station that is missing.",
            )
        ]
    repairs = len(board.faults)
    found = [
        Judgement(
            "release.record",
            Level.GO,
            board.serial,
            f"Board {board.serial} is complete",
            (
                Because("parts", len(board.placed) + len(board.soldered)),
                Because("repairs", repairs),
                Because("readings", len(board.readings)),
            ),
        )
    ]
    if bench.state.without:
        found.append(
            Judgement(
                "kit.short",
                Level.CARE,
                "parts left out",
                f"Goes out without {', '.join(bench.state.without)}",
                (),
                "Say so on the label.",
                tuple(bench.state.without),
            )
        )
    return found
