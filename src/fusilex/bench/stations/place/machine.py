"""The small machine: the step it places, by which way, and the points that a panel has by name."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fusilex.bench.batch import Batch
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.place.events import HAND, MACHINE, Placing
from fusilex.core.placing.points import as_seen, named_point
from fusilex.core.route.steps import Step as RouteStep


def point_at(batch: Batch, name: str) -> tuple[float, float]:
    """Where a point lies on the panel by design (mm). Raises `Refused` when there is no such point."""
    try:
        return named_point(batch.design, batch.panel, name)
    except KeyError:
        example = batch.panel.fiducials[0][0] if batch.panel.fiducials else "P1"
        raise Refused(
            f"There is no point {name}: name a panel fiducial such as {example}, or a part and cell such as U1@2."
        ) from None


def place_step(batch: Batch) -> RouteStep:
    """The Place step in view, else the one of the board in hand, else the first. Raises `Refused` without one."""
    steps = batch.steps.at_station("Place")
    if not steps:
        raise Refused("Nothing is placed on paste in this batch.")
    wanted = (batch.view.step, batch.board.step)
    return next((s for id in wanted for s in steps if s.id == id), steps[0])


def way_of(batch: Batch, step: RouteStep) -> str:
    """By hand or by machine: as chosen last, else as the route says."""
    return batch.state[Placing].way.get(step.id) or (MACHINE if step.method == MACHINE else HAND)


def as_lies(batch: Batch, xy: NDArray[np.float64]) -> tuple[float, float]:
    """A point with this step's side up, back in the panel's own frame (turning over twice is none)."""
    x, y = as_seen(batch.panel, xy, place_step(batch).side)[0]
    return float(x), float(y)
