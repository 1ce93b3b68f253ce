"""The rules of Hand: which numbers F1 puts into their texts."""

from __future__ import annotations

from fusilex.core.rule import constant, rule
from fusilex.core.soldering import bath, joint

RULES = {
    "hand.order": rule(),
    "hand.task": rule(),
    "hand.bath": rule(
        low=constant(bath, "ALCOHOL_C", "°C", (0,)),
        high=constant(bath, "ALCOHOL_C", "°C", (1,)),
        water_low=constant(bath, "WATER_C", "°C", (0,)),
        water_high=constant(bath, "WATER_C", "°C", (1,)),
    ),
    "hand.joint": rule(play=constant(joint, "PLAY_MM", "mm"), flux=constant(joint, "FLUX_MASS", "%", times=100)),
}
