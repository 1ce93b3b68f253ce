"""What a predicted run is worth: every joint by all that the oven's logs leave possible, and the oven's own doubts."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from fusilex.bench.workshop.oven import Oven
from fusilex.core.evidence import Coverage, Level, seen
from fusilex.core.heat.margins import margins, surely
from fusilex.core.heat.predict import Predicted
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity, amount, write_celsius
from fusilex.core.reflow.windows import ProcessWindow
from fusilex.core.wording import say


def doubt_of(oven: Oven) -> str:
    """Why the twin of an oven is no proof, '' where it is one."""
    if not oven.fit.runs:
        return f"No calibration run of {oven.id}"
    if not oven.fit.board:
        return f"No board known in the calibration of {oven.id}"
    return "" if oven.proven else f"Model of {oven.id} is {write_celsius(oven.fit.residual_c)} off its logs"


def judge_predicted(
    about: str, found: Predicted, rule: ProcessWindow, limits: Mapping[str, float], oven: Oven
) -> Judgement:
    """Stop where joints stay solid, or leave the window by all that is possible; go where by all of it none does."""
    joints = len(found.joints)
    rows, passing = margins(found, rule, limits)
    last, hot, half = found.joints[found.last], found.joints[found.hottest], float(found.peak95[found.last])
    never = int(np.isnan(found.molten.melts).sum())
    sure, outside = surely(found, rule, limits, oven.fit.residual_c)
    inside = (Coverage("joints", int(sure.sum()), joints),)
    place = {"part": last.part, "cell": last.cell + 1}
    level = seen(*inside)
    headline = say("melts last", **place, at=amount(float(found.molten.melts[found.last]), "s"))
    if never:
        level, headline = Level.STOP, say("stays solid", never=never, joints=joints, **place)
    elif outside.any():
        level, headline = Level.STOP, say("outside", first=headline, out=int(outside.sum()), joints=joints)
    elif not np.isfinite(found.melts95).all():
        level, headline = Level.UNKNOWN, say("may never melt", first=headline)
    elif level is Level.UNKNOWN:
        headline = say("band beyond", first=headline, open=int((~sure).sum()), joints=joints)
    elif rows[0].score > 1:
        level = Level.CARE
    if doubt := doubt_of(oven):
        level, headline = Level.UNKNOWN, say("in doubt", doubt=doubt, first=headline)
    peak, worst = round(float(found.molten.peak[found.last]), 1), rows[0]
    numbers = (
        Quantity("its peak", peak, "°C", (peak - half, peak + half)),
        Quantity("give or take", round(half, 1), "K"),
        Quantity("hottest", round(float(found.molten.peak[found.hottest]), 1), "°C"),
        Quantity("there", hot.part),
        Quantity("spread", round(found.spread_c, 1), "K"),
        Quantity(
            "furthest from the middle of the window",
            f"{worst.name} at {worst.joint.part}, index {100 * worst.score:.0f}",
        ),
        Quantity("keep the window", f"{passing} of {joints} joints"),
    )
    do = say("other settings") if level in (Level.STOP, Level.CARE) else say("log a run") if doubt else None
    missing = ("a logged run of this oven",) if level is Level.UNKNOWN else ()
    return Judgement("reflow.predicted", level, about, headline, numbers, do, (), missing, inside)
