"""What of the workshop's records a design's plans depend on."""

from __future__ import annotations

from fusilex.bench.built import Shop
from fusilex.bench.state import WorkshopState
from fusilex.bench.workshop.oven import Oven
from fusilex.bench.workshop.placer import Placer
from fusilex.bench.workshop.record_kinds import Limits
from fusilex.bench.workshop.records import Records


def shop_of(workshop: WorkshopState) -> Shop:
    records = workshop[Records]
    limits, placing = records.first(Limits), "both" if records.all(Placer) else "hand"
    return Shop(limits.probe_gap_mm, limits.open_above_ohm, records.first(Oven).method, placing)
