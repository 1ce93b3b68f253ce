"""What Print knows of each part: the print its paste came with, from which jar, how long since a wipe."""

from __future__ import annotations

import math

import numpy as np

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.declared import Thread
from fusilex.bench.stations.print.events import Printing
from fusilex.bench.stations.print.foil_events import Run
from fusilex.core.design.model import Part
from fusilex.core.placing.points import on_board

BESIDE_SHARE = 0.25
"""Of the narrowest pad: paste that lies further off bridges fine pitch, or leaves a land dry."""


def thread(batch: Batch, board: Board) -> Thread:
    """By side, for the parts on its paste."""
    since = batch.state[Printing].since_wipe
    made = {p.ref: batch.print_of(board, p.side) for p in batch.built(board).values() if not p.through_hole}
    found = {ref: one for ref, one in made.items() if one is not None}
    return {
        "print": {ref: str(one.number) for ref, one in found.items()},
        "prints since wipe": {ref: str(since[one.number]) for ref, one in found.items() if one.number in since},
        "jar": {ref: one.jar for ref, one in found.items()},
        "foil": {ref: f"{one.foil_mm:g} mm" for ref, one in found.items()},
    }


def doubts(batch: Batch, board: Board) -> list[tuple[str, str]]:
    """Parts at which a deposit was marked, and the print kept; then those whose paste lay far off their pads."""
    marks = batch.state[Run].marks
    own = [marks.get((step.id, board.panel), ()) for step in batch.steps.at_station("Print")]
    seen = [(mark.ref, f"had its paste {mark.word}") for some in own for serial, mark in some if serial == board.serial]
    return [*seen, *_beside(batch, board)]


def _beside(batch: Batch, board: Board) -> list[tuple[str, str]]:
    """Parts whose paste lay off by more than a quarter of their narrowest pad, by how the foil was found to lie."""
    found = []
    panel = batch.panel
    for side in ("top", "bottom"):
        made = batch.print_of(board, side)
        if made is None or len(made.lay) < 4:
            continue
        dx, dy, turn, stretch = made.lay[:4]
        angle = math.radians(turn)
        parts = [p for p in batch.built(board).values() if p.side == side and not p.through_hole and p.pads]
        if not parts:
            continue
        away = panel.on_cell(board.cell, on_board(batch.design, parts)) - (panel.width / 2, panel.height / 2)
        off_x = dx - angle * away[:, 1] + stretch * away[:, 0]
        off_y = dy + angle * away[:, 0] + stretch * away[:, 1]
        for part, off in zip(parts, np.hypot(off_x, off_y).tolist(), strict=True):
            if off > BESIDE_SHARE * _narrowest(part):
                found.append((part.ref, f"had its paste {off:.2f} mm off"))
    return found


def _narrowest(part: Part) -> float:
    """The smaller side of a part's smallest pad, mm."""
    boxes = [pad.polygon.bounds for pad in part.pads]
    return float(min(min(x1 - x0, y1 - y0) for x0, y0, x1, y1 in boxes))
