"""What held steps say: before they start, while a step is held, and when they broke off."""

from __future__ import annotations

from collections.abc import Sequence

from fusilex.bench.common.heat.hot_air import StepHeld
from fusilex.bench.now import Now
from fusilex.core.heat.hot_air import HotAirStep
from fusilex.core.units import begun
from fusilex.ui.widgets.hot_air_list import set_words


def while_held(step: HotAirStep, held_s: float) -> Now:
    """The one thing to do at a moment of a step."""
    share = min(1.0, held_s / step.most_s)
    if held_s < step.least_s:
        return Now(f"Hold: {step.name.lower()}", f"{step.least_s - held_s:.0f} s more at least. {step.look}", share)
    if held_s <= step.most_s:
        title = step.look.rstrip(".") or f"{step.name} is done"
        left = step.most_s - held_s
        return Now(title, f"Enter: so it is, and nothing drifted. D: it drifted. {left:.0f} s left.", share)
    away = "Lift the air away" if step.litres_per_min else "Go on"
    return Now(away, f"{step.name} was held for {held_s:.0f} s, {step.most_s:.0f} at most.", 1.0)


def before(ref: str, steps: Sequence[HotAirStep], held: Sequence[StepHeld], said: str) -> Now:
    """What comes first: the first step, the one where it broke off, or mending what drifted."""
    if held and held[-1].drifted:
        return Now(f"{ref} drifted", "Let it cool, set it straight with fresh flux; Enter begins anew.")
    if held and len(held) < len(steps):
        last, step = steps[len(held) - 1], steps[len(held)]
        then = f"Enter goes on with {step.name.lower()}: {set_words(step)}. B begins anew where it has cooled."
        return Now(f"Broken off after {last.name.lower()}", then)
    step = steps[0]
    return Now(f"{ref}: {step.name.lower()}", f"{begun(set_words(step))}. Enter starts. {said}".strip())
