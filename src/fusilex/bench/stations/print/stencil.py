"""The foil over the panel, from the batch as it stands: its apertures, how it lies, where paste would land."""

from __future__ import annotations

from datetime import datetime
from functools import lru_cache

import numpy as np
from msgspec import Struct
from msgspec.structs import replace
from numpy.typing import NDArray

from fusilex.bench.batch import Batch
from fusilex.bench.built import Built
from fusilex.bench.stations.print.events import Printing
from fusilex.bench.stations.print.foil_events import Foil, Look
from fusilex.bench.workshop.record_kinds import Stencil
from fusilex.bench.workshop.records import Records
from fusilex.core.design.model import Design
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.core.panel.layout import Panel
from fusilex.core.printing.alignment import EYES, Alignment, Move, frame_moves, judge_looks, lies, moves
from fusilex.core.printing.apertures import Apertures
from fusilex.core.printing.landing import Landed, Lands, judge_landing, landed, lands_of
from fusilex.core.printing.looks import fine_enough, telling_places
from fusilex.core.printing.risks import Ground, ground_of, judge_missing, judge_risks, judge_windows, risks
from fusilex.core.printing.stepped import stepped
from fusilex.core.printing.wiping import stands_apart
from fusilex.core.quantities import Quantity
from fusilex.core.wording import Said, say

Place = tuple[float, float]
LOOK_EVERY = 5
"""After so many strokes nobody knows any more that the foil lies as it did."""


class Sheet(Struct, frozen=True, eq=False):
    """The apertures of a side over the whole panel, all pads beneath (m polygons), and the places that tell most, in
    order.
    """

    lands: Lands
    pads: NDArray[np.object_]
    places: tuple[Place, ...]

    @property
    def apertures(self) -> Apertures:
        return self.lands.apertures


@lru_cache(maxsize=4)
def sheet_of(apertures: Apertures, design: Design, panel: Panel) -> Sheet:
    """A side stepped over its panel."""
    x0, y0, _, _ = design.outline.bounds
    whole, pads = stepped(apertures, design.pads, panel, (x0, y0))
    at = np.column_stack([whole.x, whole.y])
    fine = fine_enough(whole.width)
    chosen: list[int] = []
    for count in (2, 3, 4):  # the two that tell most are looked at first
        chosen += [i for i in telling_places(at[fine], count) if i not in chosen] if len(fine) >= count else []
    places = tuple((float(x), float(y)) for x, y in at[fine][chosen[:4]])
    return Sheet(lands_of(whole, pads), np.array([p.polygon for p in pads], dtype=object), places)


def sheet(batch: Batch) -> Sheet:
    """The foil of the step in view."""
    return sheet_of(batch.derived.apertures(batch.step.side), batch.drawn, batch.panel)


def looks_at(batch: Batch) -> tuple[Look, ...]:
    """Looks since the foil was moved last."""
    return tuple(batch.state[Foil].looks.get(batch.step.id, ()))


def holding(batch: Batch) -> tuple[str, str]:
    """How the foil is held, and along which side."""
    return batch.state[Foil].holding.get(batch.step.id, ("tape", "top"))


@lru_cache(maxsize=64)
def _aligned(looks: tuple[Look, ...], middle: Place) -> Alignment | None:
    rows = np.array(looks, dtype=float).reshape(-1, 4)
    try:
        return lies(rows[:, :2], rows[:, 2:], middle, EYES)
    except ValueError:
        return None


def alignment(batch: Batch, looks: tuple[Look, ...] | None = None) -> Alignment | None:
    """How the foil lies by the looks so far, None until two places were looked at."""
    panel = batch.panel
    return _aligned(looks_at(batch) if looks is None else looks, (panel.width / 2, panel.height / 2))


@lru_cache(maxsize=8)
def _landed(lands: Lands, found: Alignment | None) -> Landed:
    return landed(lands, found)


def landing(batch: Batch, looks: tuple[Look, ...] | None = None) -> Landed:
    """Where paste would land; as drawn until somebody looked."""
    return _landed(sheet(batch).lands, alignment(batch, looks))


def moves_for(batch: Batch, looks: tuple[Look, ...] | None = None) -> list[Move]:
    """What to move, as the foil is held; nothing until two places were looked at."""
    found = alignment(batch, looks)
    if found is None:
        return []
    how, hinge = holding(batch)
    box = (0.0, 0.0, batch.panel.width, batch.panel.height)
    return frame_moves(found, box, hinge) if how == "frame" else moves(found, box, hinge)


def judge_alignment(batch: Batch, looks: tuple[Look, ...] | None = None) -> list[Judgement]:
    """What the looks say, once there are enough of them; what was go some prints ago is can't tell."""
    found = alignment(batch, looks)
    if found is None:
        return []
    since = strokes(batch) - batch.state[Foil].looked_after.get(batch.step.id, 0)
    made = [*judge_looks(found), *judge_landing(landing(batch, looks))]
    return [_aged(j, since) for j in made] if since else made


def _aged(judged: Judgement, since: int) -> Judgement:
    """The same so many prints after the last look."""
    told = replace(judged, quantities=(*judged.quantities, Quantity("prints since the look", since, runs=True)))
    if judged.level is not Level.GO or since < LOOK_EVERY:
        return told
    missing = ("a look since",)
    return replace(told, level=Level.UNKNOWN, says=say("aged"), advice=say("check again"), missing=missing)


def stencil_of(batch: Batch) -> Stencil | None:
    """The stencil on record for this design and side, else one of its foil for anything, None without."""
    here = [s for s in batch.workshop[Records].all(Stencil).values() if s.foil_mm == batch.state.foil_mm]
    own = [s for s in here if s.design == batch.design.name and s.side in ("", batch.step.side)]
    return next(iter([*own, *(s for s in here if not s.design)]), None)


@lru_cache(maxsize=8)
def ground(apertures: Apertures, design: Design) -> Ground:
    """Lands and webs of a side of one board."""
    return ground_of(lands_of(apertures, design.pads))


@lru_cache(maxsize=16)
def judged_apertures(
    apertures: Apertures, boards: Built, foil: float, powder: int | None, coated: bool
) -> tuple[Judgement, ...]:
    """Powder, land, web, windows, and apertures that any of the boards misses."""
    here = ground(apertures, boards.drawn)
    found = judge_risks(risks(here, foil, powder, coated), powder)
    return (*found, *judge_missing(here.lands, boards.parts), *judge_windows(here.lands))


def strokes(batch: Batch) -> int:
    """Strokes made at the step in view, misprints among them."""
    return batch.state[Foil].strokes.get(batch.step.id, 0)


def since_wipe(batch: Batch) -> int:
    """Prints since the foil was wiped beneath."""
    return max(0, strokes(batch) - batch.state[Foil].wiped_after.get(batch.step.id, 0))


def apart(batch: Batch) -> Said | None:
    """Why the next print is no ordinary one, None where it is."""
    made = [p.at for p in batch.state[Printing].prints if p.step == batch.step.id]
    hours = (batch.at - datetime.fromisoformat(made[-1])).total_seconds() / 3600 if made else None
    return stands_apart(hours, since_wipe(batch))
