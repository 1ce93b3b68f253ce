"""The rules of Test: which numbers F1 puts into their texts."""

from __future__ import annotations

import fusilex.bench.stations.test.planning as by_beeper
from fusilex.bench.common.rule_numbers import limit
from fusilex.core.electrical import network, power, probes
from fusilex.core.measuring import lots, spread
from fusilex.core.quantities import amount
from fusilex.core.rule import constant, rule

RULES = {
    "test.short": rule(
        gap=limit("probe_gap_mm", "mm"),
        open=limit("open_above_ohm", "Ω"),
        heard=constant(by_beeper, "HEARD_FROM_OHM", "Ω"),
        share=lambda batch: amount(100 * by_beeper.USUAL_METER.share, "%"),
        fixed=lambda batch: amount(by_beeper.USUAL_METER.fixed, "Ω"),
    ),
    "test.open": rule(joined=constant(probes, "JOINED_BELOW_OHM", "Ω")),
    "test.value": rule(tolerance=constant(network, "USUAL_TOLERANCE", "%", times=100)),
    "test.hidden": rule(),
    "test.nets": rule(),
    "test.unread": rule(),
    "test.left": rule(),
    "test.plan": rule(),
    "test.waived": rule(),
    "test.sample": rule(),
    "test.power": rule(
        **{"low hold": constant(power, "LOW_HOLD_S", "s")},
        low=constant(power, "LOW_SHARE", "%", times=100),
        hold=constant(power, "HOLD_S", "s"),
        sag=constant(power, "SAG_SHARE", "%", times=100),
    ),
    "test.programme": rule(),
    "test.function": rule(),
    "test.fixture": rule(),
    "test.instrument": rule(alike=constant(lots, "ALIKE_FROM"), share=constant(lots, "ALIKE_SHARE", "%", times=100)),
    "test.reading": rule(),
    "test.odd": rule(boards=constant(spread, "ODD_FROM"), z=constant(spread, "ODD_BEYOND")),
    "test.cpk": rule(boards=constant(spread, "CPK_FROM"), cpk=constant(spread, "GOOD_CPK")),
}
