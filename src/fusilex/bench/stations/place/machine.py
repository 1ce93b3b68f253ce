"""The small machine: reference points taught on a panel, their fit, and the programme of the whole panel."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.place.events import HAND, MACHINE, Placing
from fusilex.core.design.model import Design
from fusilex.core.judgement import Because, Judgement, Level
from fusilex.core.panel.layout import Panel
from fusilex.core.placing.affine import Transform, best_fit, odd_one
from fusilex.core.placing.points import angle_as_seen, as_seen, named_point, on_board, on_panel
from fusilex.core.placing.references import judge_references
from fusilex.core.placing.suggest import Candidate, corners_of, one_more, suggest
from fusilex.core.road.steps import Step as RoadStep
from fusilex.core.similarity import one_each
from fusilex.formats.written.programme import Step

LEAST_POINTS = 3


def point_at(batch: Batch, name: str) -> tuple[float, float]:
    """Where a point lies on the panel by design (mm). Raises `Refused` when there is no such point."""
    try:
        return named_point(batch.design, batch.panel, name)
    except KeyError:
        example = batch.panel.fiducials[0][0] if batch.panel.fiducials else "P1"
        raise Refused(
            f"There is no point {name}: name a panel fiducial such as {example}, or a part and cell such as U1@2."
        ) from None


def place_step(batch: Batch) -> RoadStep:
    """The Place step in view, else the one of the board in hand, else the first. Raises `Refused` without one."""
    steps = batch.steps.at_station("Place")
    if not steps:
        raise Refused("Nothing is placed on paste in this batch.")
    wanted = (batch.view.step, batch.board.step)
    return next((s for id in wanted for s in steps if s.id == id), steps[0])


def way_of(batch: Batch, step: RoadStep) -> str:
    """By hand or by machine: as chosen last, else as the road says."""
    return batch.state[Placing].way.get(step.id) or (MACHINE if step.method == MACHINE else HAND)


def taught(batch: Batch, panel: int) -> tuple[list[str], NDArray[np.float64], NDArray[np.float64]]:
    """Names, design positions as they lie with this side up, and measured positions (n × 2, mm) of the points taught on
    a panel, each place once.
    """
    step = place_step(batch)
    points = batch.state[Placing].taught.get((panel, step.id), {})
    if not points:
        return [], np.empty((0, 2)), np.empty((0, 2))
    design = as_seen(batch.panel, [point_at(batch, name) for name in points], step.side)
    return one_each(list(points), design, list(points.values()))


def points_to_teach(batch: Batch, panel: int) -> tuple[list[Candidate], float]:
    """Points to teach: the fewest that do, those that can be seen and leave the least error at the worst part, in the
    order of their names; then the one that helps most beside them, which finds a wrong one. And the error (mm) that the
    first leave. Nothing where there are not enough.
    """
    step = place_step(batch)
    hidden = tuple(batch.state[Placing].hidden.get((panel, step.id), ()))
    return _points(batch.design, batch.panel, tuple(p.ref for p in batch.parts_of(step.id)), step.side, hidden)


@lru_cache(maxsize=32)
def _points(
    design: Design, panel: Panel, refs: tuple[str, ...], side: str, hidden: tuple[str, ...]
) -> tuple[list[Candidate], float]:
    seen = [(name, as_seen(panel, [[x, y]], side)[0]) for name, x, y in panel.fiducials]
    some = [Candidate(name, float(at[0]), float(at[1])) for name, at in seen]
    labels, places = on_panel(design, panel, [design.part_by_ref[ref] for ref in refs])
    if not len(places):
        return [], 0.0
    places = as_seen(panel, places, side)
    some += corners_of([label.replace(" in cell ", "@") for label in labels], places)
    some = [c for c in some if c.name not in hidden]
    try:
        chosen, error = suggest(some, places, LEAST_POINTS)
    except ValueError:
        return [], 0.0
    chosen.sort(key=lambda c: c.name)
    more = one_more(chosen, some, places)
    return [*chosen, more] if more else chosen, error


def as_lies(batch: Batch, xy: NDArray[np.float64]) -> tuple[float, float]:
    """A point with this step's side up, back in the panel's own frame (turning over twice is none)."""
    x, y = as_seen(batch.panel, xy, place_step(batch).side)[0]
    return float(x), float(y)


def fit(batch: Batch, panel: int) -> Transform | None:
    """Transform from panel to machine, None with fewer than three points or points that coincide."""
    names, design, measured = taught(batch, panel)
    if len(names) < LEAST_POINTS:
        return None
    try:
        return best_fit(design, measured)
    except ValueError:
        return None


def programme(batch: Batch, panel: int) -> list[Step]:
    """Every placement still to do on a panel in the machine's frame, cell by cell within each part. Raises
    `Refused`.
    """
    transform = fit(batch, panel)
    if transform is None:
        raise Refused(f"Teach at least {LEAST_POINTS} points of panel {panel} first.")
    batch.hold_at(judge_machine(batch, panel))
    boards = {b.cell: b for b in batch.state.panel_boards(panel) if not b.scrapped}
    steps, at = [], place_step(batch)
    numbers = batch.bin_number
    own = {cell: {p.ref: p for p in batch.parts_of(at.id, board)} for cell, board in boards.items()}
    for ref, drawn in {ref: part for parts in own.values() for ref, part in parts.items()}.items():
        lies = as_seen(batch.panel, batch.panel.step(on_board(batch.design, [drawn]))[:, 0], at.side)
        stepped = transform.apply(lies)
        for cell, (x, y) in enumerate(stepped):
            part = own.get(cell, {}).get(ref)
            if part is not None and ref not in boards[cell].placed:
                steps.append(
                    Step(
                        cell + 1,
                        part.ref,
                        float(x),
                        float(y),
                        angle_as_seen(part.rotation_deg, batch.panel.turn(cell), at.side) + transform.rotation_deg,
                        part.package.height,
                        numbers[batch.lines_of(boards[cell])[ref].key],
                        part.value,
                        part.package.code,
                    )
                )
    return steps


def pieces_for(batch: Batch, boards: Iterable[Board]) -> Counter[str]:
    """Pieces the machine takes out of each bin, by its key, to place what is left on the boards."""
    return Counter(
        batch.lines_of(b)[p.ref].key for b in boards for p in batch.parts_of(b.step, b) if p.ref not in b.placed
    )


def judge_machine(batch: Batch, panel: int) -> list[Judgement]:
    """How good the taught points of a panel are: without enough of them the machine does not know where it is."""
    names, design, measured = taught(batch, panel)
    transform, step = fit(batch, panel), place_step(batch)
    about = f"panel {panel}" + (", bottom" if step.side == "bottom" else "")
    if transform is None:
        text = f"{len(names)} of {LEAST_POINTS} points taught on panel {panel}"
        do = "Teach points far apart, at best in three corners, before the machine runs."
        numbers = (Because("points", len(names)),)
        return [Judgement("place.points", Level.STOP, about, text, numbers, do)]
    labels, places = on_panel(batch.design, batch.panel, batch.parts_of(step.id))
    places = as_seen(batch.panel, places, step.side)
    found = judge_references(transform, names, labels, places, odd_one(design, measured))
    return [j.of(about) for j in found]
