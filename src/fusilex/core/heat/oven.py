"""What heats a board, as the twin has it: numbers that are usual, as far as nobody logged it, and how sure they are."""

from __future__ import annotations

import math
from collections.abc import Mapping

from msgspec import Struct, field

CONTROLLED, DIAL, PLATE, AIR = "controlled oven", "dial oven", "plate", "hot air"
OVENS, PLATES, ALL = (CONTROLLED, DIAL), (PLATE, AIR), (CONTROLLED, DIAL, PLATE, AIR)


class Parameter(Struct, frozen=True):
    """A number of the oven: its unit, what is usual, by what factor that is off in one of three ovens, in words, and
    which kinds have it.
    """

    name: str
    unit: str
    usual: float
    factor: float
    words: str
    kinds: tuple[str, ...] = OVENS


PARAMETERS = {
    p.name: p
    for p in (
        Parameter("power_w", "W", 1300.0, 1.15, "what the elements take", ALL),
        Parameter("heater_j_per_k", "J/K", 400.0, 1.6, "heat in the elements", ALL),
        Parameter("dead_s", "s", 4.0, 1.7, "until the elements answer", ALL),
        Parameter("heater_air_w_per_k", "W/K", 6.0, 1.7, "from the elements to the air"),
        Parameter("glow_m2", "m²", 0.02, 1.7, "from the elements to the walls by radiation"),
        Parameter("view", "", 0.15, 1.6, "share of the elements in what the board sees"),
        Parameter("air_j_per_k", "J/K", 60.0, 1.6, "heat in the air and the rack"),
        Parameter("convection_w_per_m2k", "W/m²K", 15.0, 1.5, "from the air to the board"),
        Parameter("wall_j_per_k", "J/K", 2500.0, 1.6, "heat in the walls"),
        Parameter("wall_air_w_per_k", "W/K", 5.0, 1.6, "from the air to the walls"),
        Parameter("loss_w_per_k", "W/K", 2.0, 1.6, "from the walls to the room"),
        Parameter("door_w_per_k", "W/K", 40.0, 1.8, "from the air to the room with the door open"),
        Parameter("back", "", 1.0, 1.04, "heat at the back of the tray against the front"),
        Parameter("right", "", 1.0, 1.04, "heat at the right of the tray against the left"),
        Parameter("plate_j_per_k", "J/K", 900.0, 1.5, "heat in the plate or pan", PLATES),
        Parameter("heater_plate_w_per_k", "W/K", 12.0, 1.7, "from the elements to the plate", PLATES),
        Parameter("plate_loss_w_per_k", "W/K", 1.5, 1.6, "from the plate to the room", PLATES),
        Parameter("gap_w_per_m2k", "W/m²K", 170.0, 1.6, "from the plate into the board on it", PLATES),
        Parameter("uneven", "", 0.06, 1.8, "by what share the plate over its ring is warmer than its mean", PLATES),
        Parameter("still_w_per_m2k", "W/m²K", 8.0, 1.3, "from the board to still air", PLATES),
        Parameter("jet", "", 1.0, 1.4, "heat from the air gun against the usual for its flow", PLATES),
        Parameter("sensor_s", "s", 6.0, 1.6, "lag of the oven's own sensor", ALL),
        Parameter("band_c", "°C", 15.0, 1.6, "below its setting by so much, the oven heats in full", ALL),
        Parameter("contact", "", 1.0, 1.5, "heat into large bodies against the usual", ALL),
        Parameter("probe_s", "s", 5.0, 1.5, "lag of the probes", ALL),
    )
}
"""Usual for benchtop and toaster ovens: 1 to 1.5 kW, elements 20–60 s, air 10–30 s, walls minutes; still air 5–10, a
fan 15–40 W/m²K; a board on a plate through a dry gap 100–300 W/m²K; sheathed probes 3–10 s.
"""
STILL_W_PER_M2K = 8.0
"""From the air to the board in an oven without a fan."""
FOIL_GAP, FOIL_UNEVEN = 0.5, 0.4
"""A sheet of foil on a plate: two dry gaps in a row for one, and what is left of the ring's unevenness. The second is
what benches report, not a computed number; a log with two probes tells it.
"""


def parameters_of(kind: str, door: bool = True) -> tuple[str, ...]:
    """Names of the numbers that a kind has, those of its door only where it is opened."""
    return tuple(p.name for p in PARAMETERS.values() if kind in p.kinds and (door or p.name != "door_w_per_k"))


def cooling_s(kind: str) -> float:
    """How long a run is followed after its last setting (s): a plate keeps its board warm."""
    return 180.0 if kind in OVENS else 600.0


class OvenModel(Struct, frozen=True):
    """Numbers by name; what is not named is usual. `kind` tells how it is steered: a controlled one follows its curve
    and takes away what is left of the error in `integral_s`, others go on and off about where they stand. Its tray or
    plate (width, depth, mm), whether a fan blows, and of a plate the radius of its ring (mm, 0: it is even) and
    whether foil lies on it.
    """

    kind: str = CONTROLLED
    numbers: Mapping[str, float] = field(default_factory=dict)
    integral_s: float = 120.0
    tray_mm: tuple[float, float] = (260.0, 210.0)
    ring_mm: float = 0.0
    foil: bool = False
    fan: bool = True

    def __getitem__(self, name: str) -> float:
        still = name == "convection_w_per_m2k" and not self.fan
        return self.numbers.get(name, STILL_W_PER_M2K if still else PARAMETERS[name].usual)

    def faults(self) -> list[str]:
        """What cannot be so, a sentence each."""
        found = [f"there is no {name} in an oven" for name in self.numbers if name not in PARAMETERS]
        for name, value in self.numbers.items():
            if name in PARAMETERS and self.kind not in PARAMETERS[name].kinds:
                found.append(f"there is no {name} in a {self.kind}")
            elif name in PARAMETERS and not (math.isfinite(value) and value > 0):
                found.append(f"{name} is above nothing, not {value:g}")
        return found


class Loading(Struct, frozen=True):
    """How panels go in: the middle of the one looked at off the middle of the tray (mm, right and back), how many
    alike there are, whether they lie flat on the tray, and what the oven is preheated to (°C, None: not).
    """

    place_mm: tuple[float, float] = (0.0, 0.0)
    copies: int = 1
    flat: bool = False
    oven_c: float | None = None
