"""From command to events at Hand, Inspect, Rework, Test and Release."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from fusilex.bench import commands as c
from fusilex.bench.commands import Refused, Result
from fusilex.bench.judge_record import judge_record
from fusilex.bench.pieces import piece_replaced, pieces_counted
from fusilex.bench.whereabouts import board_at, moved
from fusilex.core.electrical.probes import nets_known
from fusilex.core.inspection.faults import FAULT_WORDS
from fusilex.core.judgement import Level
from fusilex.core.values import parse_reading
from fusilex.journal.projection import DONE, Board
from fusilex.journal.store import Event

if TYPE_CHECKING:
    from fusilex.bench.session import Bench


def solder_part(bench: Bench, command: c.SolderPart) -> Result:
    board = board_at(bench, command.board, "Hand")
    order = [p.ref for p in bench.solder_order]
    if command.ref not in order or command.ref in board.soldered:
        raise Refused(f"{command.ref} is not waiting to be soldered on board {board.serial}.")
    happened = [Event("part_soldered", {"board": board.serial, "ref": command.ref})]
    if not set(order) <= {*board.soldered, command.ref}:
        return Result(happened)
    counted = pieces_counted(bench, board, [*board.soldered, command.ref])
    return Result([*happened, *counted.events, moved([board], "Inspect")], counted.workshop)


def mark_fault(bench: Bench, command: c.MarkFault) -> list[Event]:
    board = board_at(bench, command.board)
    if board.station not in ("Inspect", "Test"):
        raise Refused(f"Board {board.serial} is at {board.station}; faults are marked at Inspect.")
    if command.word not in FAULT_WORDS.values():
        raise Refused(f"“{command.word}” is no fault word; there are {', '.join(FAULT_WORDS.values())}.")
    if command.ref not in bench.design.part_by_ref:
        raise Refused(f"There is no part {command.ref}.")
    return [
        Event(
            "fault_marked", {"board": board.serial, "ref": command.ref, "word": command.word, "station": board.station}
        )
    ]


def strike_fault(bench: Bench, command: c.StrikeFault) -> list[Event]:
    board = board_at(bench, command.board, "Inspect")
    if not board.open_faults:
        raise Refused(f"Board {board.serial} has no open fault.")
    return [Event("fault_struck", {"board": board.serial, "fault": board.open_faults[-1].id})]


def inspect_board(bench: Bench, command: c.InspectBoard) -> list[Event]:
    board = board_at(bench, command.board, "Inspect")
    return [
        Event("board_inspected", {"board": board.serial}),
        moved([board], "Rework" if board.open_faults else "Test"),
    ]


def repair_fault(bench: Bench, command: c.RepairFault) -> Result:
    board = board_at(bench, command.board, "Rework")
    if command.result not in ("fixed", "scrapped"):
        raise Refused("A repair ends fixed or scrapped.")
    if command.fault not in [f.id for f in board.open_faults]:
        raise Refused(f"That fault of board {board.serial} is not open.")
    happened = [Event("fault_repaired", {"board": board.serial, "fault": command.fault, "result": command.result})]
    if command.result == "scrapped":
        return Result([*happened, moved([board], DONE)])
    fault = next(f for f in board.open_faults if f.id == command.fault)
    replaced = piece_replaced(bench, board, fault.ref, fault.word)
    happened += replaced.events
    if len(board.open_faults) == 1:  # every repair loops back to the eyes, then to the meter
        happened += [Event("readings_cleared", {"board": board.serial}), moved([board], "Inspect")]
    return Result(happened, replaced.workshop)


def take_reading(bench: Bench, command: c.TakeReading) -> list[Event]:
    board = board_at(bench, command.board, "Test")
    if command.pair not in [p.key for p in bench.plan]:
        raise Refused(f"{command.pair} is not in the probe plan.")
    try:
        ohm = parse_reading(command.text)
    except ValueError as error:
        raise Refused(f"{error}.") from error
    return [
        Event(
            "reading_taken",
            {
                "board": board.serial,
                "pair": command.pair,
                "ohm": ohm if math.isfinite(ohm) else None,
                "text": command.text.strip(),
            },
        )
    ]


def test_doubt(bench: Bench, board: Board) -> str:
    """Why readings alone cannot pass a board, '' when they can: it then needs a note of how it was tested."""
    if not nets_known(bench.design):
        return "No file names nets, so nothing here was measured"
    doubtful = [p for p in bench.plan if p.key in board.readings and p.level(board.readings[p.key][0]) is Level.UNKNOWN]
    return f"The reading of {doubtful[0].key} cannot be judged" if doubtful else ""


def test_board(bench: Bench, command: c.TestBoard) -> list[Event]:
    board = board_at(bench, command.board, "Test")
    read = {p.key: p.level(board.readings[p.key][0]) for p in bench.plan if p.key in board.readings}
    shorts = [p for p in bench.plan if read.get(p.key) is Level.STOP]
    unread = [p for p in bench.plan if p.key not in read]
    if command.passed and board.open_faults:
        raise Refused(f"Board {board.serial} has an open fault at {board.open_faults[0].ref}: it cannot pass.")
    if command.passed and shorts:
        raise Refused(f"{shorts[0].a.net} and {shorts[0].b.net} are joined on board {board.serial}: it cannot pass.")
    if command.passed and unread and not command.note:
        raise Refused(f"{len(unread)} pairs of board {board.serial} are not read yet.")
    if command.passed and (doubt := test_doubt(bench, board)) and not command.note:
        raise Refused(f"{doubt}: say in a note how the board was tested.")
    happened = [Event("board_tested", {"board": board.serial, "passed": command.passed, "note": command.note})]
    if command.passed:
        return [*happened, moved([board], "Release")]
    if not shorts and not board.open_faults:
        raise Refused(
            "No reading is short and no fault is marked: mark what you saw on its part first, then fail the board."
        )
    happened += [
        Event("fault_marked", {"board": board.serial, "ref": p.a.ref, "word": "bridge", "station": "Test"})
        for p in shorts
    ]
    return [*happened, moved([board], "Rework")]


def release_board(bench: Bench, command: c.ReleaseBoard) -> list[Event]:
    board = board_at(bench, command.board, "Release")
    stops = [j for j in judge_record(bench, board) if j.level is Level.STOP and j.key not in bench.state.overruled]
    if stops:
        raise Refused(f"{stops[0].headline}. {stops[0].do} Or overrule it with F2 and a reason.")
    return [Event("board_released", {"board": board.serial}), moved([board], DONE)]
