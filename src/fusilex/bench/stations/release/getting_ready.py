"""What a board still needs before it goes: out of its panel, clean, looked at, coated or not, labelled, bagged."""

from __future__ import annotations

import math

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.stations.release.events import BAG, CLEAN, COAT, LABEL, LOOK, STEPS, Leaving
from fusilex.core.evidence import Level, every, seen
from fusilex.core.judgement import Judgement
from fusilex.core.measuring.spread import is_odd, robust_z
from fusilex.core.panel.separating import STOP_MM, CutPlan, judge_cuts
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

WORDS = {
    CLEAN: ("Clean the flux off", "Solvent as the paste's sheet names it, gloves, extraction; dry it."),
    LOOK: ("Last look", "Both sides, edges and corners; parts near the cuts first."),
    COAT: ("Coat it", "Connectors and sensors masked; by the coating's sheet, under extraction."),
    LABEL: ("Label it", "Tab, then B writes labels at their true size."),
    BAG: ("Bag it", "A bag that keeps static out, sealed; nothing loose in it."),
}


def cuts_of(batch: Batch) -> CutPlan:
    """The cut plan of the batch's panel."""
    return batch.derived.cuts(batch.panel, batch.on_panel)


def next_cut(batch: Batch, panel: int) -> int | None:
    """The cut of a panel to do next (from 1), None when it is in pieces or was never to be cut."""
    done = batch.state[Leaving].cuts.get(panel, 0)
    return done + 1 if done < len(cuts_of(batch).strokes) else None


def wanted(batch: Batch) -> tuple[str, ...]:
    """Steps of getting a board ready in this batch; coating until somebody says that it stays bare."""
    return tuple(s for s in STEPS if s != COAT or batch.state[Leaving].coated)


def next_step(batch: Batch, board: Board) -> str | None:
    """The step of getting a board ready that comes next, None when all are done."""
    done = done_since(batch, board)
    return next((s for s in wanted(batch) if s not in done), None)


def done_since(batch: Batch, board: Board) -> dict[str, str]:
    """Steps done since hands or heat were last at the board, and when."""
    since = max((at for at, _ in board.mended), default="")
    return {what: at for what, at in batch.state[Leaving].ready.get(board.serial, {}).items() if at > since}


def judge_ready(batch: Batch, board: Board) -> list[Judgement]:
    """The cuts of its panel, what may have cracked beside them, what is not on record of getting it ready."""
    plan = cuts_of(batch)
    cut = next_cut(batch, board.panel)
    done = done_since(batch, board)
    found = []
    if cut is not None and plan.strokes:
        found += [j for j in judge_cuts(plan, batch.panel) if "capacitors" not in j.subject and j.level is not Level.GO]
    near = [s for s in plan.care if s.cell == board.cell]
    close = [s for s in near if s.level is Level.STOP]
    if close and LOOK not in done:
        numbers = (
            Quantity("nearest", close[0].away, "mm", limit=(STOP_MM, math.inf)),
            Quantity("limit", STOP_MM, "mm"),
            Quantity("cut", close[0].cut),
        )
        refs = tuple(dict.fromkeys(s.ref for s in close))
        text, do = say("may crack", serial=board.serial), say("inspect after the cut")
        found.append(Judgement("release.cut", Level.STOP, board.serial, text, numbers, do, refs))
    elif near:
        refs, looked = tuple(dict.fromkeys(s.ref for s in near)), LOOK in done
        text, do = say("beside a cut", serial=board.serial), say("inspected" if looked else "support the board")
        parts = (every("parts beside cuts", len(refs)),)
        level, nearest = seen(*parts) if looked else Level.CARE, Quantity("nearest", near[0].away, "mm")
        found.append(Judgement("release.cut", level, board.serial, text, (nearest,), do, refs, coverage=parts))
    left = [s for s in wanted(batch) if s not in done]
    if cut is not None or left:
        what = (*([f"{len(plan.strokes) - cut + 1} cuts"] if cut is not None else []), *left)
        text = say("not done", serial=board.serial, steps=what)
        found.append(Judgement("release.ready", Level.CARE, board.serial, text, (), say("confirm each")))
    return [*found, *_weight(batch, board), *_picture(batch)]


def _weight(batch: Batch, board: Board) -> list[Judgement]:
    """Weighing as a last check: a board that weighs otherwise than others of its build has too much or too little on
    it.
    """
    boards = batch.state.boards
    grams = {s: g for s, g in batch.state[Leaving].grams.items() if boards[s].variant == board.variant}
    if board.serial not in grams:
        return []
    serials = list(grams)
    z = float(robust_z([grams[s] for s in serials])[serials.index(board.serial)])
    numbers = (Quantity("grams", grams[board.serial], "g"), Quantity("boards of its build weighed", len(grams)))
    if z != z:
        text, do, missing = say("too few", serial=board.serial), say("weigh more"), ("weights of more boards",)
        return [Judgement("release.weight", Level.UNKNOWN, board.serial, text, numbers, do, (), missing)]
    if is_odd(z):
        text, do = say("outlier", serial=board.serial), say("look for the part")
        return [Judgement("release.weight", Level.CARE, board.serial, text, (*numbers, Quantity("robust z", z)), do)]
    weighed, text = (every("boards weighed", len(grams)),), say("alike", serial=board.serial)
    return [Judgement("release.weight", seen(*weighed), board.serial, text, numbers, coverage=weighed)]


def _picture(batch: Batch) -> list[Judgement]:
    """At least one picture a batch."""
    if any(board.pictures for board in batch.state.boards.values()):
        return []
    return [Judgement("release.picture", Level.CARE, "batch", say("none"), (), say("take one"))]


def papers_of(batch: Batch, board: Board) -> dict[str, object]:
    """What was done to a board before it went."""
    leaving = batch.state[Leaving]
    found: dict[str, object] = {}
    if ready := done_since(batch, board):
        found["prepared"] = [{"what": what, "at": at} for what, at in ready.items()]
    if board.panel in leaving.cuts:
        found["cuts"] = leaving.cuts[board.panel]
    if board.serial in leaving.grams:
        found["grams"] = leaving.grams[board.serial]
    if board.serial in leaving.parcels:
        found["parcel"] = leaving.parcels[board.serial]
    return found
