"""What is said of a predicted run: whom to watch, how many joints keep the window, how sure that is."""

from __future__ import annotations

from fusilex.bench.now import Now
from fusilex.bench.stations.reflow.live import TOUCH_C
from fusilex.bench.stations.reflow.twin import Question
from fusilex.bench.workshop.oven import OvenFit
from fusilex.core.heat.margins import margins
from fusilex.core.heat.predict import Predicted
from fusilex.core.quantities import write_celsius, write_give
from fusilex.core.units import clock

UNITS = dict.fromkeys(("peak", "body"), "°C") | dict.fromkeys(("heating", "cooling"), "°C/s")
UNITS |= dict.fromkeys(("soak", "above melting", "to peak"), "s")


def watch_words(found: Predicted, proven: bool) -> Now:
    """Whom to watch, or who will not melt."""
    last, hot = found.joints[found.last], found.joints[found.hottest]
    melts = float(found.molten.melts[found.last])
    if melts != melts:
        far = f"In cell {last.cell + 1} it gets to {_peak(found, found.last)}. O plans anew."
        return Now(f"{last.part} will not melt", far)
    fitted = "" if proven else " No log proves this twin: log a run, and K fits it."
    half = float(found.melts95[found.last])
    sure = f" ± {half:.0f} s" if half == half else ", in some of the ovens it may be never"
    return Now(
        f"Watch {last.part} in cell {last.cell + 1}: it melts last",
        f"At {clock(melts)}{sure}, and peaks at {_peak(found, found.last)}."
        f" {hot.part} gets hottest, {_peak(found, found.hottest)}.{fitted}",
    )


def _peak(found: Predicted, k: int) -> str:
    return write_give(float(found.molten.peak[k]), float(found.peak95[k]), "°C")


def facts_of(asked: Question, found: Predicted) -> list[tuple[str, str]]:
    """How well the oven is known, how many joints keep the window, and the one furthest from its middle."""
    rows, passing = margins(found, asked.window, asked.limits)
    worst = rows[0]
    digits = 1 if worst.name in ("heating", "cooling") else 0
    ends = f"{worst.low:g} to {worst.high:g} {UNITS[worst.name]}"
    value = "never there" if worst.value != worst.value else f"{worst.value:.{digits}f}, of {ends}"
    count = asked.loading.copies
    load = [("in the oven", f"{count} panels, this one {_where(asked.loading.place_mm)}")] if count > 1 else []
    return [
        ("fitted to", _fit(asked.oven.fit)),
        *load,
        ("keep the window", f"{passing} of {len(found.joints)} joints"),
        (f"{worst.name}, {worst.joint.part}", value),
        ("safe to touch", _cool(found)),
        *_small(asked, found),
        ("spread at the peak", write_celsius(found.spread_c)),
    ]


def _small(asked: Question, found: Predicted) -> list[tuple[str, str]]:
    """The hottest of the parts that follow the board at once: chips brown first."""
    bodies = {ref for ref, _ in asked.load_fine[0].lumps.names}
    small = [k for k, joint in enumerate(found.joints) if joint.part not in bodies]
    if not small:
        return []
    k = max(small, key=lambda i: float(found.molten.peak[i]))
    return [("hottest small part", f"{found.joints[k].part}, {_peak(found, k)}")]


def _fit(fit: OvenFit) -> str:
    if fit.runs:
        return f"{fit.runs} run{'s' if fit.runs > 1 else ''}, within {write_celsius(fit.residual_c, 1)}"
    return f"{fit.by_eye} by eye: no probe yet" if fit.by_eye else "no run yet"


def _where(place: tuple[float, float]) -> str:
    """A place on the tray in words."""
    across = "left" if place[0] < -1 else "right" if place[0] > 1 else ""
    along = "front" if place[1] < -1 else "back" if place[1] > 1 else ""
    return " ".join(w for w in (along, across) if w) or "in the middle"


def _cool(found: Predicted) -> str:
    """When the hottest joint is below what hands may touch."""
    warm = found.run.watched[:, :, 0].max(axis=1) >= TOUCH_C
    if not warm.any():
        return "all the time"
    last = len(warm) - 1 - int(warm[::-1].argmax())
    return f"from {clock(float(found.run.time[last]))}" if last < len(warm) - 1 else "not within this time"
