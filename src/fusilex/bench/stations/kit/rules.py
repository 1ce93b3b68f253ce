"""The rules of Kit: which numbers F1 puts into their texts."""

from __future__ import annotations

import fusilex.bench.stations.kit.bins as strap
from fusilex.core.kit import losses, moisture
from fusilex.core.rule import constant, rule

RULES = {
    "kit.mended": rule(),
    "kit.unfilled": rule(),
    "kit.bag": rule(),
    "kit.value": rule(),
    "kit.cover": rule(),
    "kit.moisture": rule(
        three=constant(moisture, "FLOOR_LIFE_H", "h", ("3",)),
        care=constant(moisture, "CARE_LEFT", "%", times=100),
        warm=constant(moisture, "MOST_C", "°C"),
        damp=constant(moisture, "MOST_RH", "%"),
    ),
    "kit.programme": rule(),
    "kit.strap": rule(allowed=constant(strap, "STRAP_OHM", "Ω")),
    "kit.short": rule(),
    "kit.spares": rule(
        **{f"length{n + 1}": constant(losses, "DEFAULT", "mm", (n, 0)) for n in range(3)},
        **{f"loss{n + 1}": constant(losses, "DEFAULT", "%", (n, 1, 0), 100) for n in range(4)},
        **{f"extra{n + 1}": constant(losses, "DEFAULT", part=(n, 1, 1)) for n in range(4)},
        loss5=constant(losses, "OTHER", "%", (0,), 100),
        extra5=constant(losses, "OTHER", part=(1,)),
        pieces=constant(losses, "LEAST_PIECES"),
        service=constant(losses, "SERVICE", "%", times=100),
    ),
    "kit.waiting": rule(),
    "kit.alike": rule(),
}
