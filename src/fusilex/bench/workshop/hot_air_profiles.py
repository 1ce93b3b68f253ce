"""Hot air in held steps as a record: what plate and air are set to, between which clocks, what to look at."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

from fusilex.bench.workshop.record import Name, Record
from fusilex.core.heat.hot_air import HotAirStep

MOST_STEPS, HOTTEST_C, MOST_FLOW, LONGEST_S = 30, 600.0, 500.0, 7200.0


class HotAirProfile(Record, frozen=True):
    """A step profile for hot air: for parts with a `bottom pad`, a `bare die` or `any`, with pastes of a window; its
    steps by name, plate_c, air_c (°C, 0: off), litres_per_min (0: lifted away), least_s, most_s, and what to look at.
    """

    what: ClassVar[str] = "held"
    title: ClassVar[str] = "Held steps"
    parts: Literal["bottom pad", "bare die", "any"] = "any"
    window: Name = "lead-free"
    steps: tuple[HotAirStep, ...] = (HotAirStep("warm", 150.0, 0.0, 0.0, 60.0, 180.0),)

    def __post_init__(self) -> None:
        if not 1 <= len(self.steps) <= MOST_STEPS:
            raise ValueError(f"1 to {MOST_STEPS} steps")
        for n, step in enumerate(self.steps, 1):
            numbers = (step.plate_c, step.air_c, step.litres_per_min, step.least_s, step.most_s)
            if not all(math.isfinite(v) and v >= 0 for v in numbers):
                raise ValueError(f"step {n}: numbers that are not below nothing")
            if max(step.plate_c, step.air_c) > HOTTEST_C or step.litres_per_min > MOST_FLOW:
                raise ValueError(f"step {n}: up to {HOTTEST_C:g} °C and {MOST_FLOW:g} l/min")
            if not 0 < step.least_s <= step.most_s <= LONGEST_S:
                raise ValueError(
                    f"step {n} is held for its shortest time at least, its longest at most, within two hours"
                )
            if not step.name.strip() or len(step.name) > 60:
                raise ValueError(f"step {n} has a name")
