"""Reference points taught on a panel, or on each of its boards: which to teach, their fit, and how good it is."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from fusilex.bench.batch import Batch
from fusilex.bench.built import Built
from fusilex.bench.stations.place.events import PER_BOARD, Placing
from fusilex.bench.stations.place.machine import place_step, point_at
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.core.panel.layout import Panel
from fusilex.core.placing.affine import Transform, best_fit, odd_one
from fusilex.core.placing.points import as_seen, cell_of, on_panel
from fusilex.core.placing.references import judge_references, step_read
from fusilex.core.placing.suggest import Candidate, corners_of, one_more, to_teach
from fusilex.core.quantities import Quantity
from fusilex.core.similarity import one_each
from fusilex.core.wording import say

LEAST_POINTS, USUAL_POINTS = 2, 3
"""Points without which nothing is known of shift and turn; points that show how well it is."""


def per_board(batch: Batch) -> bool:
    """True where every board of a panel is taught by itself, not the panel as a whole."""
    return batch.state[Placing].per.get(place_step(batch).id) == PER_BOARD


def cell_in_hand(batch: Batch) -> int | None:
    """The cell whose points are in view, None where points are the panel's."""
    return batch.board.cell if per_board(batch) else None


def cells_taught(batch: Batch, panel: int) -> Sequence[int | None]:
    """What is taught on a panel by itself: each of its boards' cells, or the panel (None)."""
    if not per_board(batch):
        return [None]
    return sorted(b.cell for b in batch.state.panel_boards(panel) if not b.scrapped)


def taught(
    batch: Batch, panel: int, cell: int | None = None
) -> tuple[list[str], NDArray[np.float64], NDArray[np.float64]]:
    """Names, design positions as they lie with this side up, and measured positions (n × 2, mm) of the points taught on
    a panel, or on one of its boards, each place once.
    """
    step = place_step(batch)
    points = dict(batch.state[Placing].taught.get((panel, step.id), {}))
    if cell is not None:
        points = {name: at for name, at in points.items() if cell_of(batch.panel, name) == cell}
    if not points:
        return [], np.empty((0, 2)), np.empty((0, 2))
    design = as_seen(batch.panel, [point_at(batch, name) for name in points], step.side)
    return one_each(list(points), design, list(points.values()))


def points_to_teach(batch: Batch, panel: int) -> tuple[list[Candidate], float]:
    """Points to teach, fiducials before parts: the fewest that do, those that can be seen and leave the least error at
    the worst part, in the order of their names; then the one that helps most beside them, which finds a wrong one.
    Board by board where each is taught by itself. And the error (mm) that the first leave. Nothing where there are not
    enough.
    """
    step = place_step(batch)
    hidden = tuple(batch.state[Placing].hidden.get((panel, step.id), ()))
    refs = tuple(p.ref for p in batch.parts_of(step.id))
    found, worst = [], 0.0
    for cell in cells_taught(batch, panel):
        some, error = _points(batch.own, batch.panel, refs, step.side, hidden, cell)
        found += some
        worst = max(worst, error)
    return found, worst


@lru_cache(maxsize=64)
def _points(
    board: Built, panel: Panel, refs: tuple[str, ...], side: str, hidden: tuple[str, ...], cell: int | None
) -> tuple[list[Candidate], float]:
    seen = [(name, as_seen(panel, [[x, y]], side)[0]) for name, x, y in panel.fiducials if cell is None]
    marks = [Candidate(name, float(at[0]), float(at[1])) for name, at in seen if name not in hidden]
    labels, places = on_panel(board.design, panel, [board.by_ref[ref] for ref in refs], cell)
    if not len(places):
        return [], 0.0
    places = as_seen(panel, places, side)
    corners = corners_of([label.replace(" in cell ", "@") for label in labels], places)
    corners = [c for c in corners if c.name not in hidden]
    try:
        chosen, error = to_teach(marks, corners, places, USUAL_POINTS)
    except ValueError:
        return [], 0.0
    more = one_more(chosen, marks, places) or one_more(chosen, corners, places)
    return [*chosen, more] if more else chosen, error


def fit(batch: Batch, panel: int, cell: int | None = None) -> Transform | None:
    """Transform from panel to machine by the points of the panel, or of one of its boards; None with fewer than two or
    points that coincide.
    """
    names, design, measured = taught(batch, panel, cell)
    if len(names) < LEAST_POINTS:
        return None
    try:
        return best_fit(design, measured)
    except ValueError:
        return None


def fits(batch: Batch, panel: int) -> dict[int, Transform]:
    """The transform of each cell of a panel; a board that is to be taught by itself and was not is missing."""
    if not per_board(batch):
        whole = fit(batch, panel)
        return dict.fromkeys(range(batch.panel.count), whole) if whole is not None else {}
    found = {cell: fit(batch, panel, cell) for cell in cells_taught(batch, panel) if cell is not None}
    return {cell: own for cell, own in found.items() if own is not None}


def read_step(batch: Batch, panel: int) -> float:
    """The step (mm) in which a panel's points were read: as typed or jogged, and no finer than the readings tell."""
    key = panel, place_step(batch).id
    points, read = batch.state[Placing].taught.get(key, {}), batch.state[Placing].read.get(key, {})
    return max([step_read(list(points.values())), *(read.get(name, 0.0) for name in points)])


def judge_machine(batch: Batch, panel: int) -> list[Judgement]:
    """How good the taught points of a panel are: without enough of them the machine does not know where it is. Of
    boards that are taught by themselves, what is wrong with any; else the worst.
    """
    found = [_judged(batch, panel, cell) for cell in cells_taught(batch, panel)]
    if len(found) == 1:
        return found[0]
    wrong = [j for own in found for j in own if j.level is not Level.GO]
    return wrong or max(found, key=lambda own: float(own[-1].quantities[0].value) if own else 0.0, default=[])


def _judged(batch: Batch, panel: int, cell: int | None) -> list[Judgement]:
    names, design, measured = taught(batch, panel, cell)
    transform, step = fit(batch, panel, cell), place_step(batch)
    where = f"panel {panel}" if cell is None else f"the board in cell {cell + 1} of panel {panel}"
    about = where + (", bottom" if step.side == "bottom" else "")
    if transform is None:
        text = say("too few", points=len(names), least=LEAST_POINTS, where=where)
        numbers = (Quantity("points", len(names), limit=(LEAST_POINTS, math.inf)),)
        return [Judgement("place.points", Level.STOP, about, text, numbers, say("far apart"))]
    labels, places = on_panel(batch.design, batch.panel, batch.parts_of(step.id), cell)
    places = as_seen(batch.panel, places, step.side)
    found = judge_references(transform, names, labels, places, odd_one(design, measured), read_step(batch, panel))
    return [j.of(about) for j in found]
