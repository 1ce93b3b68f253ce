"""The judgements of each station as the batch stands."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from fusilex.bench.judge_kit import judge_kit
from fusilex.bench.judge_ready import judge_ready
from fusilex.bench.judge_record import judge_record
from fusilex.core.electrical.probes import judge_plan, judge_readings, judge_unseen
from fusilex.core.inspection.yields import wilson
from fusilex.core.judgement import Because, Judgement, Level, worst_first
from fusilex.core.printing.paste import PASTES, judge_paste
from fusilex.core.printing.release import judge_hidden, judge_release
from fusilex.core.reflow.judge import judge_profile
from fusilex.core.reflow.profile import Metrics
from fusilex.core.reflow.windows import WINDOWS
from fusilex.core.rework.heat import neighbours

if TYPE_CHECKING:
    from fusilex.bench.session import Bench


def judgements(bench: Bench, station: str) -> list[Judgement]:
    """Judgements of a station for the board in hand, worst first."""
    return worst_first(_JUDGES[station](bench))


def open_stops(bench: Bench, station: str) -> list[Judgement]:
    """Stops of a station that nobody has overruled."""
    return [j for j in judgements(bench, station) if j.level is Level.STOP and j.key not in bench.state.overruled]


def _print(bench: Bench) -> list[Judgement]:
    return [
        *judge_release(bench.openings, bench.foil_mm),
        *judge_hidden(bench.openings, [p.ref for p in bench.views.hidden]),
        *judge_paste(bench.openings, bench.foil_mm, PASTES[bench.paste], len(bench.state.boards)),
    ]


def _place(bench: Bench) -> list[Judgement]:
    from fusilex.bench.machine import judge_machine

    board, order = bench.board, bench.placing_order
    placed = sum(p.ref in board.placed for p in order)
    found = [
        Judgement(
            "place.open",
            Level.GO,
            board.serial,
            f"{placed} of {len(order)} parts on board {board.serial}",
            (Because("left", len(order) - placed), Because("dropped in this batch", sum(bench.state.dropped.values()))),
        )
    ]
    part = bench.next_to_place(board)
    if part and (left := bench.left_in_bin(bench.line_of[part.ref].key)) is not None:
        line = bench.line_of[part.ref]
        missing = sum(ref not in b.placed for b in bench.state.boards.values() for ref in line.refs if not b.scrapped)
        if left < missing:
            found.append(
                Judgement(
                    "kit.short",
                    Level.STOP if left <= 0 else Level.CARE,
                    line.key,
                    f"Only {max(left, 0)} of {line.name} left",
                    (Because("still to place", missing),),
                    "Find more before you run out.",
                    line.refs,
                )
            )
    return found + judge_machine(bench, board.panel)


def _reflow(bench: Bench) -> list[Judgement]:
    board = bench.board
    number = board.load or (bench.state.loads[-1]["number"] if bench.state.loads else None)
    if number is None:
        return [
            Judgement(
                "reflow.log",
                Level.UNKNOWN,
                "run",
                "No run on record yet",
                (),
                "Run the oven, then open its log with L.",
            )
        ]
    load = bench.state.loads[number - 1]
    metrics = {name: Metrics.from_dict(m) for name, m in load["metrics"].items()}
    return judge_profile(metrics, WINDOWS[load["window"]])


def _hand(bench: Bench) -> list[Judgement]:
    order = bench.solder_order
    done = sum(p.ref in bench.board.soldered for p in order)
    found = [
        Judgement(
            "hand.order",
            Level.GO,
            bench.board.serial,
            f"{done} of {len(order)} parts soldered by hand on {bench.board.serial}",
            tuple(Because(p.ref, p.package.height, "mm high") for p in order[-2:]),
        )
    ]
    guessed = [p.ref for p in order if not p.package.known]
    if guessed:
        found.append(
            Judgement(
                "ready.package",
                Level.CARE,
                "heights",
                f"Heights of {', '.join(guessed[:3])} are guessed",
                (),
                "Check the order by eye.",
                tuple(guessed),
            )
        )
    return found


def _inspect(bench: Bench) -> list[Judgement]:
    seen = [b for b in bench.state.boards.values() if b.first_pass is not None]
    share = wilson(sum(bool(b.first_pass) for b in seen), len(seen))
    found = []
    if seen:
        level = Level.GO if share.value >= 0.9 else Level.CARE
        found.append(
            Judgement(
                "inspect.yield",
                level,
                "batch",
                f"First-pass yield {share.good} of {share.n}",
                (
                    Because("share", 100 * share.value, "%"),
                    Because("likely from", 100 * share.low, "%"),
                    Because("to", 100 * share.high, "%"),
                ),
            )
        )
    else:
        found.append(Judgement("inspect.yield", Level.UNKNOWN, "batch", "No board inspected yet"))
    for fault in bench.board.open_faults:
        found.append(
            Judgement(
                "rework.queue",
                Level.STOP,
                f"{bench.board.serial} {fault.ref} {fault.id}",
                f"{fault.ref}: {fault.word}",
                (Because("found at", fault.found_at),),
                "Goes to Rework with this board.",
                (fault.ref,),
            )
        )
    if hidden := [p.ref for p in bench.views.hidden]:
        shown = ", ".join(hidden[:4]) + (" …" if len(hidden) > 4 else "")
        verb = "hides its" if len(hidden) == 1 else "hide their"
        do = "Decide by the readings and the functions at Test."
        found.append(Judgement("inspect.hidden", Level.UNKNOWN, shown, f"{shown} {verb} joints", (), do, tuple(hidden)))
    return found


def _rework(bench: Bench) -> list[Judgement]:
    queue = bench.state.at("Rework")
    found = [
        Judgement(
            "rework.queue",
            Level.CARE if queue else Level.GO,
            "queue",
            f"{len(queue)} board{'s wait' if len(queue) > 1 else ' waits'} for repair"
            if queue
            else "Nothing to repair",
            (Because("open faults", sum(len(b.open_faults) for b in queue)),),
        )
    ]
    for fault in bench.board.open_faults[:1]:
        part = bench.design.part_by_ref.get(fault.ref)
        near = neighbours(bench.design, part) if part else []
        light = [n.ref for n in near if n.blown]
        if near:
            found.append(
                Judgement(
                    "rework.heat",
                    Level.CARE,
                    fault.ref,
                    f"{len(near)} parts stand in the heat of {fault.ref}",
                    (
                        Because("nearest", near[0].distance, "mm"),
                        Because("may blow away", ", ".join(light[:4]) or "none"),
                    ),
                    "Shield them, lowest airflow." if light else "Shield them.",
                    tuple(n.ref for n in near),
                )
            )
        elif part:
            found.append(Judgement("rework.heat", Level.GO, fault.ref, f"Nothing stands in the heat of {fault.ref}"))
    return found


def _test(bench: Bench) -> list[Judgement]:
    readings = {key: value for key, (value, _) in bench.board.readings.items()}
    return [
        *judge_readings(bench.plan, readings),
        *judge_plan(bench.design, bench.plan),
        *judge_unseen(bench.plan, bench.views.hidden),
    ]


def _release(bench: Bench) -> list[Judgement]:
    return judge_record(bench, bench.board)


_JUDGES: dict[str, Callable[[Bench], list[Judgement]]] = {
    "Ready": judge_ready,
    "Kit": judge_kit,
    "Print": _print,
    "Place": _place,
    "Reflow": _reflow,
    "Hand": _hand,
    "Inspect": _inspect,
    "Rework": _rework,
    "Test": _test,
    "Release": _release,
}
