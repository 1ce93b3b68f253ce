"""The rules of Hand: which numbers F1 puts into their texts."""

from __future__ import annotations

from fusilex.core.rule import constant, rule
from fusilex.core.soldering import joint

RULES = {
    "hand.order": rule(),
    "hand.task": rule(),
    "hand.joint": rule(play=constant(joint, "PLAY_MM", "mm"), flux=constant(joint, "FLUX_MASS", "%", times=100)),
}
