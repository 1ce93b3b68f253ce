"""The rules of Release: which numbers F1 puts into their texts."""

from __future__ import annotations

from fusilex.core.measuring import spread
from fusilex.core.panel import separating
from fusilex.core.rule import constant, rule

RULES = {
    "release.record": rule(),
    "release.cut": rule(care=constant(separating, "CARE_MM", "mm"), stop=constant(separating, "STOP_MM", "mm")),
    "release.ready": rule(),
    "release.weight": rule(boards=constant(spread, "ODD_FROM"), z=constant(spread, "ODD_BEYOND")),
    "release.picture": rule(),
    "release.mended": rule(),
    "release.overruled": rule(),
    "release.cost": rule(),
}
