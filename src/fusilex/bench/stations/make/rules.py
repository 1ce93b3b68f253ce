"""The rules of Make: which numbers F1 puts into their texts."""

from __future__ import annotations

from fusilex.core.bare_boards import making
from fusilex.core.rule import constant, rule

RULES = {
    "make.resist": rule(),
    "make.drill": rule(care=constant(making, "CARE_SHARE", "%", times=100)),
    "make.finest": rule(),
}
