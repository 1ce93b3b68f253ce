"""The judgements of Reflow: the load of the board in hand against the window of the paste it was printed with."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import msgspec
from msgspec.structs import asdict

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board, Load, panels_of, panels_words
from fusilex.bench.common.doubtful import WHY
from fusilex.bench.common.heat import hot_air
from fusilex.bench.common.heat.heat_limits import most_reflow_cycles
from fusilex.bench.common.moisture import judge_board_clocks
from fusilex.bench.common.route import Laid
from fusilex.bench.common.wet_paste import judge_wet_paste
from fusilex.bench.stations.reflow.loading import loaded_with, window_of
from fusilex.bench.workshop.records import Records
from fusilex.core.evidence import Coverage, Level, every, seen
from fusilex.core.heat.group import Group
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.reflow.judge import judge_profile
from fusilex.core.reflow.metrics import Metrics
from fusilex.core.reflow.windows import ProcessWindow
from fusilex.core.route.hanging import judge_reflow_cycles, judge_turned
from fusilex.core.wording import say

SHOWN = 4
OF_A_RUN = tuple(
    f"reflow.{what}"
    for what in ("log", "index", "joints", "oven", "heating", "soak", "above melting", "peak", "cooling", "to peak")
)
"""Rules that speak of a run that was."""


def rule_of(batch: Batch, board: Board) -> ProcessWindow:
    """The window a board's run is judged by: as it was when it ran, else as the paste's record has it now."""
    load = board.loads.get(batch.step.id)
    if load is not None and load.rule:
        return msgspec.convert(load.rule, ProcessWindow)
    return batch.workshop[Records].window(window_of(batch, board))


def judge(batch: Batch) -> list[Judgement]:
    """The run, moisture clocks, heats, and what hangs below."""
    return [*_run(batch, batch.board.loads.get(batch.step.id)), *before_heat(batch)]


def before_heat(batch: Batch) -> list[Judgement]:
    """What must be settled before the panel in hand, and those that go in with it, get this heat: paste and moisture
    clocks, what hangs below, heats their boards had.
    """
    found: dict[str, Judgement] = {}
    most = most_reflow_cycles(batch.workshop)
    for board in loaded_with(batch, batch.board):
        with_it = batch.about(board.serial, batch.step.id)
        there = board.heated.get(batch.step.id) or {*board.placed, *board.soldered}
        hanging = judge_turned(with_it.design, batch.step.side, there, batch.state[Laid].order == "glued")
        coming = 0 if batch.step.id in board.loads else 1
        judged = [
            *judge_wet_paste(with_it, board),
            *judge_board_clocks(with_it, board),
            *_wrong_marks(with_it, board),
            *(j.of(f"panel {board.panel}") for j in hanging),
            *(
                j.of(board.serial)
                for j in judge_reflow_cycles({r: board.reflow_cycles.get(r, 0) for r in there}, coming, most)
            ),
        ]
        found |= {j.key: j for j in judged if j.key not in found}
    return [*found.values(), *_unseen_marks(batch)]


def _marks(batch: Batch, board: Board) -> list[Judgement]:
    """What Place has to say of the marks of a board."""
    before = batch.steps.all[: batch.steps.index(batch.step.id)]
    places = [step for step in before if step.station == "Place" and step.side == batch.step.side]
    judged = [j for s in places for j in batch.stations["Place"].judge(batch.about(board.serial, s.id))]
    return [j for j in judged if j.rule == "place.marks"]


def _wrong_marks(batch: Batch, board: Board) -> list[Judgement]:
    """A mark that lies wrong holds its board at Place, and here."""
    return [j for j in _marks(batch, board) if j.level is Level.STOP]


def _unseen_marks(batch: Batch) -> list[Judgement]:
    """Marks that were not looked at hold the whole load, by one judgement."""
    boards = [b for b in loaded_with(batch, batch.board) if batch.step.id not in b.loads]
    unseen = [j for b in boards for j in _marks(batch, b) if j.level is not Level.STOP]
    if not unseen:
        return []
    marks = [c for j in unseen for c in j.coverage]
    whole = Coverage("marks", sum(c.seen for c in marks), sum(c.of for c in marks))
    refs, about = tuple(dict.fromkeys(r for j in unseen for r in j.refs)), panels_words(panels_of(boards))
    text, do = say("not rechecked", marks=whole.of - whole.seen, about=about), say("recheck before heat")
    return [Judgement("reflow.marks", Level.STOP, f"marks, {about}", text, (), do, refs, coverage=(whole,))]


def _run(batch: Batch, load: Load | None) -> list[Judgement]:
    if load is None:
        text, do, missing = say("no run", panel=batch.board.panel), say("run the oven"), ("a log of the run",)
        return [Judgement("reflow.log", Level.UNKNOWN, f"panel {batch.board.panel}", text, (), do, (), missing)]
    if not load.log:
        text, seen, missing = say("by eye", load=load.number), (Quantity("seen", load.seen),), ("a log of the run",)
        late = tuple(dict.fromkeys(g.part for g in load.joints))[:SHOWN]
        do = say("inspect these first", late=late) if late else say("inspect last joints")
        return [Judgement("reflow.log", Level.UNKNOWN, f"load {load.number}", text, seen, do, (), missing)]
    metrics = {name: Metrics.from_dict(m) for name, m in load.metrics.items()}
    own = judge_log(metrics, rule_of(batch, batch.board), load.number, load.silent)
    return [*own, *judge_joints(load.joints, load.number), *_oven(load)]


def judge_joints(joints: Sequence[Group], number: int) -> list[Judgement]:
    """What the twin, held to the log, makes of the parts without a probe; nothing where it could not be held to it."""
    if not joints:
        return []
    by = {verdict: [g for g in joints if g.verdict == verdict] for verdict in WHY}
    subject = f"load {number}"
    numbers = tuple(Quantity(WHY[v], len(found)) for v, found in by.items() if found)
    levels = {"cold": Level.STOP, "short": Level.CARE, "hot": Level.CARE, "open": Level.UNKNOWN}
    for verdict, level in levels.items():
        if found := by[verdict]:
            refs = tuple(dict.fromkeys(g.part for g in found))
            missing = ("a thermocouple on the part that melts last",) if level is Level.UNKNOWN else ()
            text, do = say(verdict), say(f"after {verdict}")
            return [Judgement("reflow.joints", level, subject, text, numbers, do, refs, missing)]
    parts, text = (every("joints", len(joints)),), say("all within", parts=len(joints))
    return [Judgement("reflow.joints", seen(*parts), subject, text, coverage=parts)]


def _oven(load: Load) -> list[Judgement]:
    """Is it still the oven of its logs?"""
    if not load.changed or load.off_c is None:
        return []
    numbers = (Quantity("off", load.off_c, "K"),)
    return [Judgement("reflow.oven", Level.CARE, f"load {load.number}", say("off its model"), numbers, say("check it"))]


def judge_log(
    metrics: Mapping[str, Metrics], window: ProcessWindow, number: int, silent: Sequence[str] = ()
) -> list[Judgement]:
    """What a run measured against its window, the load named in every key."""
    return [j.of(f"load {number}") for j in judge_profile(metrics, window, silent)]


def remarks(batch: Batch, board: Board) -> list[Judgement]:
    """Loads that were judged by eye alone."""
    loads = list(board.loads.values())
    logs = Coverage("loads logged", sum(bool(load.log) for load in loads), len(loads))
    if not loads or logs.complete:
        return []
    text, missing = say("by eye", load=next(x.number for x in loads if not x.log)), ("a log of the run",)
    return [Judgement("reflow.log", Level.UNKNOWN, f"{board.serial} by eye", text, missing=missing, coverage=(logs,))]


def lacks(batch: Batch, board: Board) -> list[str]:
    lacking = batch.step.id not in board.loads and work(batch, board)
    return [batch.named("oven load")] if lacking else []


def work(batch: Batch, board: Board) -> bool:
    """True where parts were to be placed on this side's paste."""
    return bool(batch.parts_on_paste(batch.step.side))


def papers(batch: Batch, board: Board) -> dict[str, Any]:
    """Its loads, with the log's digest and metrics or what was seen, what the twin made of its joints, the heats each
    part had, and the air that was held over it.
    """
    found: dict[str, Any] = {
        "loads": [_load_rows(board, x) for x in board.loads.values()],
        "heats": dict(board.reflow_cycles),
    }
    return found | ({"held": rows} if (rows := hot_air.papers(batch, board)) else {})


def _load_rows(board: Board, load: Load) -> dict[str, Any]:
    left_out = {"panel", "boards", "beside", "joints"} | {
        k for k in ("off_c", "changed", "marks", "silent") if not getattr(load, k)
    }
    rows = {k: v for k, v in asdict(load).items() if k not in left_out}
    own = [{k: None if v != v else v for k, v in asdict(g).items()} for g in load.joints if g.cell == board.cell]
    return rows | ({"joints": own} if own else {})
