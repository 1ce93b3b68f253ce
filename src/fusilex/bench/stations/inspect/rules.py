"""The rules of Inspect: which numbers F1 puts into their texts."""

from __future__ import annotations

from fusilex.bench.common.rule_numbers import limit
from fusilex.core.inspection import causes, patterns
from fusilex.core.rule import constant, rule

RULES = {
    "inspect.yield": rule(good=limit("good_yield", "%", 100)),
    "inspect.hidden": rule(),
    "inspect.fault": rule(),
    "inspect.pattern": rule(false=constant(patterns, "FALSE_SHARE", "%", times=100)),
    "inspect.causes": rule(
        **{"for": constant(causes, "FOR")},
        beside=constant(causes, "BESIDE"),
        enough=constant(causes, "ENOUGH"),
        against=constant(causes, "AGAINST"),
    ),
    "inspect.photo": rule(),
    "inspect.tour": rule(),
    "inspect.doubt": rule(),
    "inspect.first": rule(),
    "inspect.unseen": rule(),
}
