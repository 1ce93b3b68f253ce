"""What a part takes with the iron here: solder, wire, tip, heat, and how long by the shop's own log."""

from __future__ import annotations

from msgspec import Struct

from fusilex.bench.batch import Batch
from fusilex.bench.stations.hand.events import Soldering
from fusilex.bench.workshop.record_kinds import Limits
from fusilex.bench.workshop.records import Records
from fusilex.core.design.model import Part
from fusilex.core.inspection.surroundings import copper_near
from fusilex.core.soldering.joint import Dose, Heating, dose, heating
from fusilex.core.soldering.minutes import seconds_a_joint


class Care(Struct, frozen=True):
    """Solder and heat for a part's joints, whether one of them hangs on much copper, and what of it no file tells."""

    dose: Dose
    heating: Heating
    much_copper: bool
    untold: str = ""


def care_for(batch: Batch, part: Part) -> Care:
    """By the part's own lands, holes and copper; leaded where the batch's paste is."""
    leaded = "Pb" in batch.workshop[Records].paste(batch.state.paste).alloy
    near = copper_near(batch.drawn, list(part.pads))
    much = "much" in near
    holes = part.package.mount == "tht" and any(pad.drill <= 0 for pad in part.pads)
    untold = "the holes of its leads" if holes else "" if all(near) else "the copper about its lands"
    thick = batch.workshop[Records].first(Limits).board_mm
    return Care(dose(part, thick, leaded), heating(part, much, leaded), much, untold)


def seconds_for(batch: Batch, part: Part) -> float:
    """How long the part takes, s."""
    pads = {p.ref: len(p.joints) for p in batch.own.by_ref.values()}
    timed = [(pads.get(ref, 0), seconds) for ref, seconds in batch.state[Soldering].timed]
    return seconds_a_joint(timed) * max(1, len(part.joints))
