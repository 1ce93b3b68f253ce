"""What undo and redo turn: the last deed of the step in view, unless its boards have gone on since."""

from __future__ import annotations

from collections.abc import Sequence

from fusilex.bench.common.commands import Redo, Undo
from fusilex.bench.refusal import Refused
from fusilex.bench.state import BatchState
from fusilex.core.route.steps import Steps
from fusilex.journal.folding import Deed


def done_here(deeds: Sequence[Deed], here: str, steps: Steps) -> Deed | None:
    """The last of some deeds that was done at a step; at the first also those of steps no longer on the route."""
    return next((d for d in reversed(deeds) if place_of(d, steps) == here), None)


def place_of(deed: Deed, steps: Steps) -> str:
    """The step a deed is taken back at: where it was done, or the first where that is no longer on the route."""
    return deed.station if deed.station in steps.by_id else steps.ids[0]


def turned_by(command: Undo | Redo, state: BatchState, here: str, steps: Steps) -> Deed:
    """The deed that would be taken back or done again: the last one of the step in view. Raises `Refused`."""
    back = isinstance(command, Undo)
    deeds, label = state.deeds if back else state.undone, steps.label
    found = done_here(deeds, here, steps)
    if found is None:
        word = "take back" if back else "do again"
        last = (
            f" The last thing was {deeds[-1].words}, at {label(deeds[-1].station)}."
            if deeds and deeds[-1].words
            else ""
        )
        raise Refused(f"There is nothing to {word} at {label(here)}.{last}")
    for later in deeds[deeds.index(found) + 1 :] if back else ():
        if both := sorted(found.boards & later.boards):
            raise Refused(
                f"Board {both[0]} has gone on since: take back {later.words or 'what was done'} at"
                f" {label(later.station)} first."
            )
    return found
