"""The judgements of Test: readings, power, programme and functions of this board, and what nothing reaches."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import msgspec

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.faults import judge_faults
from fusilex.bench.stations.test.events import NO_BEEP, Testing
from fusilex.bench.stations.test.functions import (
    fixture_proved,
    judge_functions,
    list_of,
    standing,
    tests_for,
)
from fusilex.bench.stations.test.planning import due, is_sampled, pairs_of, plan_for, unread, voided
from fusilex.bench.stations.test.power import draw_of, held, judge_power, next_step, power_of
from fusilex.bench.stations.test.programming import firmware_of, judge_programme, written
from fusilex.bench.stations.test.verdicts import judge_board
from fusilex.core.electrical.judge import judge_plan, judge_supply, judge_unseen
from fusilex.core.electrical.power import judge_draw
from fusilex.core.electrical.probes import ProbePair
from fusilex.core.evidence import Coverage, Level
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity, amount
from fusilex.core.wording import say
from fusilex.devices.command import WELL


def judge(batch: Batch) -> list[Judgement]:
    """Readings of the board in hand, its power, programme and functions, its open faults, what nothing can name."""
    board, plan = batch.board, batch.own.plan
    power = power_of(batch)
    return [
        *judge_board(batch, board),
        *_sampled(batch, board),
        *judge_power(batch, board),
        *(judge_draw(power.rail, draw_of(batch, board, power)) if power else []),
        *judge_programme(batch, board),
        *judge_functions(batch, board),
        *_not_planned(batch, board),
        *_waived(batch, board),
        *judge_faults(batch, board),
        *judge_plan(batch.design, plan),
        *judge_supply(batch.own.checks),
        *_out_of_reach(batch),
        *judge_unseen(plan, batch.own.hidden),
    ]


def _sampled(batch: Batch, board: Board) -> list[Judgement]:
    """What the sampling rule leaves; once something was found, boards it let by come back."""
    sample = batch.state[Testing].sample
    if sample is None:
        return []
    if voided(batch) and board.serial not in sample.boards:
        left = len(unread(batch, board))
        if not left:
            return []
        at, where = next(row for row in batch.state[Testing].findings if row[0] > sample.at)
        text, numbers = say("recalled", serial=board.serial, where=where, left=left), (Quantity("found on", at[:10]),)
        level = Level.STOP if any(t["passed"] for t in board.tests) else Level.UNKNOWN
        do, missing = say("test in full"), ("its readings",) if level is Level.UNKNOWN else ()
        return [Judgement("test.sample", level, board.serial, text, numbers, do, (), missing)]
    if not is_sampled(batch, board):
        return []
    return [risk_of(batch, board)]


def risk_of(batch: Batch, board: Board) -> Judgement:
    """What is left open by testing some boards of the batch in full."""
    sample = batch.state[Testing].sample
    assert sample is not None
    numbers = (
        Quantity("boards in full", len(sample.boards)),
        Quantity("of", len(batch.state.boards)),
        Quantity("at most bad among all", sample.most_bad),
        Quantity("confidence", f"{100 * sample.confidence:g} %"),
        Quantity("drawn", sample.at[:10]),
    )
    sure = amount(100 * sample.confidence, "%")
    text = say("by sample", serial=board.serial, bad=sample.most_bad, confidence=sure)
    return Judgement("test.sample", Level.CARE, board.serial, text, numbers, say("if the drawn are good"))


def _not_planned(batch: Batch, board: Board) -> list[Judgement]:
    """What the minutes that were set leave unproven."""
    minutes, plan = batch.state[Testing].minutes, plan_for(batch, board)
    if minutes is None or not plan.unproven:
        return []
    numbers = (
        Quantity("readings planned", len(plan.order)),
        Quantity("chance that one of the others is bad", plan.left),
    )
    first = tuple(p.key for p in plan.unproven[:2])
    text = say("no time for", unread=len(plan.unproven), minutes=amount(minutes, "min"), first=first)
    do, missing = say("more minutes"), ("readings of these pairs",)
    return [Judgement("test.plan", Level.UNKNOWN, board.serial, text, numbers, do, (), missing)]


def _waived(batch: Batch, board: Board) -> list[Judgement]:
    waived = batch.state[Testing].waived.get(board.serial, {})
    if not waived:
        return []
    numbers = tuple(Quantity(pair, reason) for pair, reason in list(waived.items())[:6])
    text = say("waived", readings=len(waived), serial=board.serial)
    return [Judgement("test.waived", Level.CARE, board.serial, text, numbers, say("in the report"))]


def _out_of_reach(batch: Batch) -> list[Judgement]:
    beyond = batch.own.checks.out_of_reach
    if not beyond:
        return []
    numbers = tuple(Quantity(p.key, f"{p.a.net} / {p.b.net}") for p in beyond[:6])
    text, do, missing = say("out of reach", pairs=len(beyond)), say("test functions"), ("readings of these pairs",)
    return [Judgement("test.hidden", Level.UNKNOWN, "out of reach", text, numbers, do, (), missing)]


def missing(batch: Batch, board: Board) -> list[str]:
    """What of its test a board has not had, in words; readings come by themselves."""
    found = []
    if power_of(batch) and next_step(batch, board) is not None:
        found.append("first power")
    last = written(batch, board)
    if firmware_of(batch) and (last is None or last.ended != WELL):
        found.append("programming")
    tests = tests_for(batch, board)
    left = len(tests) - len(standing(batch, board.serial, tests))
    if left:
        found.append(f"{left} of {len(tests)} tests" if left > 1 else f"1 of {len(tests)} tests")
    if tests and not fixture_proved(batch):
        found.append("proof of the fixture by the golden board")
    return found


def remarks(batch: Batch, board: Board) -> list[Judgement]:
    """What of the batch's test a board has not had, whatever let it pass: readings, first power, functions."""
    planned, tests = plan_for(batch, board).order, tests_for(batch, board)
    points = [
        Coverage("readings", sum(p.key in board.readings for p in planned), len(planned)),
        Coverage("functions", len(standing(batch, board.serial, tests)), len(tests)),
    ]
    if power_of(batch) is not None:
        points.append(Coverage("first power", int(next_step(batch, board) is None), 1))
    left = tuple(c for c in points if c.of and not c.complete)
    if not left:
        return []
    text, do, lacking = say("test not whole", serial=board.serial), say("take the rest"), ("the rest of the test",)
    return [Judgement("test.left", Level.UNKNOWN, board.serial, text, (), do, (), lacking, left)]


def lacks(batch: Batch, board: Board) -> list[str]:
    return [] if board.tests and board.tests[-1]["passed"] else ["passed test"]


def papers(batch: Batch, board: Board) -> dict[str, Any]:
    """Readings in the plan's order, power, programme, functions, and the tests; what was proved and what was not."""
    pairs = pairs_of(batch, board, board.readings)
    rows = [
        {
            "pair": p.key,
            "net_a": p.a.net,
            "net_b": p.b.net,
            "gap_mm": round(p.gap, 4),
            "ohm": None if by_ear or math.isinf(ohm) else ohm,
            "open": not by_ear and math.isinf(ohm),
            "typed": typed,
        }
        | ({"no_beep_above_ohm": ohm} if by_ear else {})
        | ({"purpose": p.purpose} if p.purpose != "apart" else {})
        for p in pairs.values()
        for ohm, typed in (board.readings[p.key],)
        for by_ear in (typed == NO_BEEP,)
    ]
    testing, made = batch.state[Testing], {"readings": rows, "tests": board.tests}
    more: dict[str, Any] = {
        "waived": [{"pair": p, "reason": why} for p, why in testing.waived.get(board.serial, {}).items()],
        "power": msgspec.to_builtins(held(batch, board)),
        "programmed": msgspec.to_builtins(testing.programmed.get(board.serial, [])),
        "functions": msgspec.to_builtins(list(testing.functions.get(board.serial, {}).values())),
    }
    return made | {name: told for name, told in more.items() if told} | {"proved": proved(batch, board)}


def proved(batch: Batch, board: Board) -> dict[str, Any]:
    """The certificate: what was tested of a board, and what was not."""
    checks, read = batch.own.checks, board.readings
    tests = tests_for(batch, board)
    done = standing(batch, board.serial, tests)

    def share(pairs: Sequence[ProbePair], heard: bool = True) -> dict[str, int]:
        """How many were read; silence proves that nets are apart, and no value."""
        count = sum(p.key in read and (heard or read[p.key][1] != NO_BEEP) for p in pairs)
        return {"read": count, "of": len(pairs)}

    told: dict[str, Any] = {
        "apart": share(checks.apart),
        "by_ear": sum(text == NO_BEEP for _, text in read.values()),
        "joints": share(checks.joints),
        "values": share([p for p in checks.all if math.isfinite(p.most)], heard=False),
        "out_of_reach": len(checks.out_of_reach),
        "functions": {"done": len(done), "of": len(tests)},
        "not_tested": [p.key for p in due(batch, board) if p.key not in read],
        "left_chance": round(plan_for(batch, board).left, 6),
    }
    if is_sampled(batch, board):
        sample = batch.state[Testing].sample
        assert sample is not None
        told["sample"] = {
            "boards": list(sample.boards),
            "most_bad": sample.most_bad,
            "confidence": sample.confidence,
        }
    if list_of(batch) is None:
        told["functions"] = None
    return told
