"""An oven as the twin has it: numbers that are usual, as far as nobody logged it, and how sure they are."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

CONTROLLED, DIAL = "controlled oven", "dial oven"


@dataclass(frozen=True)
class Parameter:
    """A number of the oven: its unit, what is usual, by what factor that is off in one of three ovens, and in words."""

    name: str
    unit: str
    usual: float
    factor: float
    words: str


PARAMETERS = {
    p.name: p
    for p in (
        Parameter("power_w", "W", 1300.0, 1.15, "what the elements take"),
        Parameter("heater_j_per_k", "J/K", 400.0, 1.6, "heat in the elements"),
        Parameter("dead_s", "s", 4.0, 1.7, "until the elements answer"),
        Parameter("heater_air_w_per_k", "W/K", 6.0, 1.7, "from the elements to the air"),
        Parameter("glow_m2", "m²", 0.02, 1.7, "from the elements to the walls by radiation"),
        Parameter("view", "", 0.15, 1.6, "share of the elements in what the board sees"),
        Parameter("air_j_per_k", "J/K", 60.0, 1.6, "heat in the air and the rack"),
        Parameter("convection_w_per_m2k", "W/m²K", 15.0, 1.5, "from the air to the board"),
        Parameter("wall_j_per_k", "J/K", 2500.0, 1.6, "heat in the walls"),
        Parameter("wall_air_w_per_k", "W/K", 5.0, 1.6, "from the air to the walls"),
        Parameter("loss_w_per_k", "W/K", 2.0, 1.6, "from the walls to the room"),
        Parameter("door_w_per_k", "W/K", 40.0, 1.8, "from the air to the room with the door open"),
        Parameter("sensor_s", "s", 6.0, 1.6, "lag of the oven's own sensor"),
        Parameter("band_c", "°C", 15.0, 1.6, "below its setting by so much, the oven heats in full"),
        Parameter("contact", "", 1.0, 1.5, "heat into large bodies against the usual"),
        Parameter("probe_s", "s", 5.0, 1.5, "lag of the probes"),
    )
}
"""Usual for benchtop and toaster ovens: 1 to 1.5 kW, elements 20–60 s, air 10–30 s, walls minutes; still air 5–10, a
fan 15–40 W/m²K; sheathed probes 3–10 s.
"""


@dataclass(frozen=True)
class OvenModel:
    """Numbers by name; what is not named is usual. `kind` tells how it is steered: a controlled one follows its curve
    and takes away what is left of the error in `integral_s`, one with a dial goes on and off about where it stands.
    """

    kind: str = CONTROLLED
    numbers: Mapping[str, float] = field(default_factory=dict)
    integral_s: float = 120.0

    def __getitem__(self, name: str) -> float:
        return self.numbers.get(name, PARAMETERS[name].usual)

    def faults(self) -> list[str]:
        """What cannot be so, a sentence each."""
        found = [f"there is no {name} in an oven" for name in self.numbers if name not in PARAMETERS]
        for name, value in self.numbers.items():
            if name in PARAMETERS and not (math.isfinite(value) and value > 0):
                found.append(f"{name} is above nothing, not {value:g}")
        return found
