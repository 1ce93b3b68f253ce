"""The rules of Reflow: which numbers F1 puts into their texts."""

from __future__ import annotations

from functools import partial

from fusilex.bench.batch import Batch
from fusilex.bench.common import rule_numbers
from fusilex.bench.common.rule_numbers import limit
from fusilex.bench.stations.reflow.judging import rule_of
from fusilex.bench.workshop import oven
from fusilex.core.heat import after, fit
from fusilex.core.reflow import curve, profile
from fusilex.core.reflow.windows import ProcessWindow
from fusilex.core.rule import constant, rule


def _here(batch: Batch) -> ProcessWindow:
    """The window that the board in hand is judged by."""
    return rule_of(batch, batch.board)


window = partial(rule_numbers.window, of=_here)
_over = constant(curve, "SLOPE_WINDOW_S", "s")


RULES = {
    "reflow.heating": rule(over=_over, allowed=window("heating", "°C/s")),
    "reflow.soak": rule(band=window("soak_band", "°C"), allowed=window("soak", "s")),
    "reflow.above melting": rule(
        liquidus=window("melting", "°C"),
        allowed=window("above_melting", "s"),
        hard=window("above_melting_hard_s", "s"),
    ),
    "reflow.peak": rule(allowed=window("peak", "°C")),
    "reflow.cooling": rule(over=_over, allowed=window("cooling", "°C/s"), hard=window("cooling_hard", "°C/s")),
    "reflow.to peak": rule(room=constant(profile, "ROOM_C", "°C"), most=window("to_peak_s", "s")),
    "reflow.index": rule(),
    "reflow.log": rule(),
    "reflow.marks": rule(),
    "reflow.joints": rule(),
    "reflow.oven": rule(
        off=constant(after, "CHANGED_C", "K"),
        times=constant(after, "CHANGED_TIMES"),
        share=constant(after, "CHANGED_SHARE", "%", times=100),
    ),
    "reflow.heats": rule(most=limit("heats")),
    "reflow.fit": rule(good=constant(oven, "GOOD_C", "K"), enough=constant(fit, "ENOUGH_TOLD", "%", times=100)),
    "reflow.predicted": rule(),
    "reflow.plan": rule(),
    "heat.held": rule(),
}
