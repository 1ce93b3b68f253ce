"""What heat parts take here: the standard's limits, those of their sheets as typed, and how many heats."""

from __future__ import annotations

from collections.abc import Sequence

from fusilex.bench.state import WorkshopState
from fusilex.bench.workshop.record_kinds import Limits
from fusilex.bench.workshop.records import Records
from fusilex.core.design.model import Part
from fusilex.core.reflow.part_limits import limits_of


def most_reflow_cycles(workshop: WorkshopState) -> int:
    return workshop[Records].first(Limits).heats


def body_limits(workshop: WorkshopState, parts: Sequence[Part], leaded: bool) -> dict[str, float]:
    """Hottest a body may get (°C), by reference; a typed limit of the reference wins over one of its part number."""
    typed = workshop[Records].first(Limits).bodies_c
    own = {p.ref: typed.get(p.ref, typed.get(p.part_number, 0.0)) for p in parts}
    return limits_of(parts, leaded, {ref: c for ref, c in own.items() if c})
