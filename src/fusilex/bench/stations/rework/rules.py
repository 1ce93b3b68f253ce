"""The rules of Rework: which numbers F1 puts into their texts."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.workshop.record_kinds import AirGun
from fusilex.bench.workshop.records import Records
from fusilex.core.quantities import Quantity, amount
from fusilex.core.rework import heat
from fusilex.core.rule import constant, rule


def _spread(batch: Batch | None) -> Quantity:
    """How far beyond its nozzle the gun on record melts solder."""
    gun = AirGun(id="usual") if batch is None else batch.workshop[Records].first(AirGun)
    return amount(gun.spread_mm, "mm")


RULES = {
    "rework.heat": rule(spread=_spread, light=constant(heat, "LIGHT_MG", "mg")),
    "rework.queue": rule(),
    "rework.again": rule(),
    "rework.worth": rule(),
}
