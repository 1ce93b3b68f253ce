"""The judgements of Print: of the print a board has, or of the one its panel would get now."""

from __future__ import annotations

from dataclasses import asdict, replace
from typing import Any

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board, PastePrint
from fusilex.bench.stations.print.events import Printing
from fusilex.bench.workshop.records import Records
from fusilex.core.judgement import Judgement
from fusilex.core.printing.paste import judge_paste
from fusilex.core.printing.release import judge_hidden, judge_release
from fusilex.core.road.steps import NO_PASTE


def foil_and_paste(batch: Batch, board: Board) -> tuple[float, str]:
    """What the board's print was made with; what it would be made with when there is none."""
    made = board.prints.get(batch.step.id)
    return (made.foil_mm, made.paste) if made else (batch.state.foil_mm, batch.state.paste)


def judge(batch: Batch) -> list[Judgement]:
    """Release through this foil, hidden joints, and the paste for the batch."""
    foil, paste = foil_and_paste(batch, batch.board)
    openings = batch.derived.openings(batch.step.side)
    if batch.step.method == NO_PASTE:
        return []
    if batch.step.method != "stencil":
        mass = judge_paste(openings, foil, batch.workshop[Records].paste(paste).paste, len(batch.state.boards))[:1]
        do = "That is a guide: as much as a stencil of this thickness would leave. Heap it half a pad high at most."
        return [replace(j, do=do) for j in mass]
    return [
        *(j.of(f"{foil:g} mm") for j in judge_release(openings, foil)),
        *judge_hidden(openings, [p.ref for p in batch.derived.hidden]),
        *judge_paste(openings, foil, batch.workshop[Records].paste(paste).paste, len(batch.state.boards)),
    ]


def lacks(batch: Batch, board: Board) -> list[str]:
    if board.prints.get(batch.step.id) or not work(batch, board):
        return []
    return [batch.named("print")]


def work(batch: Batch, board: Board) -> bool:
    """True where parts are to go onto this side's paste."""
    return bool(batch.parts_on_paste(batch.step.side))


def papers(batch: Batch, board: Board) -> dict[str, Any]:
    """The print, prints wiped off before it, and foils or pastes changed on the way."""
    printing = batch.state[Printing]
    made = [_printed(batch, one) for one in board.prints.values()]
    wiped = [{"step": w.step, "at": w.at, "reason": w.reason} for w in printing.wiped if w.panel == board.panel]
    changes = [asdict(c) for c in printing.changes if c.from_panel <= board.panel]
    return {"prints": made, "wiped_prints": wiped, "changed_in_mid_batch": changes}


def _printed(batch: Batch, made: PastePrint) -> dict[str, Any]:
    step = batch.steps.by_id.get(made.step)
    told = {k: v for k, v in asdict(made).items() if k != "panel"}
    return {**told, "side": step.side if step else "", "method": step.method if step else ""}
