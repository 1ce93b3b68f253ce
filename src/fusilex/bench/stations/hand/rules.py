"""The rules of Hand: which numbers F1 puts into their texts."""

from __future__ import annotations

from fusilex.core.rule import constant, rule
from fusilex.core.soldering import bath, joint

RULES = {
    "hand.order": rule(),
    "hand.task": rule(),
    "hand.bath": rule(
        alcohol_low=constant(bath, "ALCOHOL_C", "°C", (0,)),
        alcohol_high=constant(bath, "ALCOHOL_C", "°C", (1,)),
        water_low=constant(bath, "WATER_C", "°C", (0,)),
        water_high=constant(bath, "WATER_C", "°C", (1,)),
        leaded_low=constant(bath, "LEADED_C", "°C", (0,)),
        leaded_high=constant(bath, "LEADED_C", "°C", (1,)),
        free_low=constant(bath, "LEAD_FREE_C", "°C", (0,)),
        free_high=constant(bath, "LEAD_FREE_C", "°C", (1,)),
        short_low=constant(bath, "LEADED_S", "s", (0,)),
        short_high=constant(bath, "LEADED_S", "s", (1,)),
        long_low=constant(bath, "LEAD_FREE_S", "s", (0,)),
        long_high=constant(bath, "LEAD_FREE_S", "s", (1,)),
    ),
    "hand.joint": rule(play=constant(joint, "PLAY_MM", "mm"), flux=constant(joint, "FLUX_MASS", "%", times=100)),
}
