"""The rules of Place: which numbers F1 puts into their texts."""

from __future__ import annotations

import fusilex.bench.stations.place.references as taught
from fusilex.core import similarity
from fusilex.core.placing import affine, centring, references, rejects
from fusilex.core.rule import constant, rule

RULES = {
    "place.error": rule(
        care=constant(references, "ERROR_CARE_MM", "mm"), stop=constant(references, "ERROR_STOP_MM", "mm")
    ),
    "place.scale": rule(scale=constant(references, "SCALE_LIMIT", "%", times=100)),
    "place.shear": rule(
        points=constant(affine, "LEAST_POINTS"),
        chance=constant(affine, "BY_CHANCE", "%", times=100),
        shear=constant(references, "SHEAR_LIMIT_DEG", "°"),
    ),
    "place.suspect": rule(
        chance=constant(similarity, "FALSE_ALARM", "%", times=100), least=constant(similarity, "SEEN_MM", "mm")
    ),
    "place.proof": rule(),
    "place.rejects": rule(least=constant(rejects, "LEAST"), chance=constant(rejects, "BY_CHANCE", "%", times=100)),
    "place.marks": rule(),
    "place.nudge": rule(
        small=constant(centring, "SMALL_MM", "mm"),
        overlap=constant(centring, "OVERLAP", "%", times=100),
        leads=constant(centring, "MOST_LEADS"),
        share=constant(centring, "LEAD_SHARE", "%", times=100),
        straight=constant(centring, "STRAIGHT_MM", "mm"),
        turn=constant(centring, "STRAIGHT_DEG", "°"),
    ),
    "place.open": rule(),
    "place.points": rule(least=constant(taught, "LEAST_POINTS")),
    "place.programme": rule(),
    "place.simulated": rule(),
}
