"""A run's metrics against the paste's window: inside, outside, or not told by the record."""

from __future__ import annotations

import math
from collections.abc import Mapping

from fusilex.core.judgement import Because, Judgement, Level
from fusilex.core.reflow.metrics import FIELD_OF, Doubt, Metrics, window_index
from fusilex.core.reflow.windows import ProcessWindow
from fusilex.core.units import show_number

TOUCHING = 1e-9
"""Share of a limit by which rounding may put a value beyond it."""
_ADVICE = {
    ("heating", 1): "Heat more slowly: fast ramps throw balls and stand small parts on end.",
    ("soak", -1): "Hold longer in the soak so that heavy parts catch up.",
    ("soak", 1): "Shorten the soak: the flux dries before the paste melts.",
    ("above melting", -1): "Hold longer at the top, until the slowest joint has gone.",
    ("above melting", 1): "Open the door sooner after melting.",
    ("peak", -1): "Go hotter: the slowest joint may not have melted.",
    ("peak", 1): "Stop the heat sooner: parts and board are over-heated.",
    ("cooling", 1): "Open the door a little, not wide.",
    ("to peak", 1): "Heat faster before the soak.",
}
_VERB = {
    "above melting": "stays molten",
    "peak": "peaks at",
    "soak": "soaks",
    "heating": "heats at",
    "cooling": "cools at",
    "to peak": "takes",
}


_NOUN = {
    "above melting": "time above melting",
    "peak": "peak",
    "soak": "time in the soak",
    "heating": "steepest heating",
    "cooling": "steepest cooling",
    "to peak": "time to the peak",
}


def judge_profile(per_probe: Mapping[str, Metrics], window: ProcessWindow) -> list[Judgement]:
    """One judgement per metric outside its range, probe by probe, and one for each reason why the record does not
    tell; a go with the index when all are inside.

    Ranges include their limits. Time to the peak has no lower limit and is not part of the index.
    """
    found = []
    untold: dict[str, list[tuple[str, str, Doubt, str]]] = {}
    for probe, metrics in per_probe.items():
        to_peak = ("to peak", metrics.to_peak_s, (0.0, window.to_peak_s), "s")
        for name, value, allowed, unit in (*metrics.ranged(window), to_peak):
            doubt = metrics.doubts.get(FIELD_OF[name], Doubt(value, value, ""))
            if math.isnan(value) and not doubt.why:
                found.append(_never(probe, name, metrics))
            elif judged := _judged(probe, name, value, doubt, allowed, unit, window):
                if judged.level is Level.UNKNOWN:
                    untold.setdefault(doubt.why, []).append((probe, name, doubt, unit))
                else:
                    found.append(judged)
    found += [_untold(why, cases) for why, cases in untold.items()]
    if not found:
        index = max((window_index(m, window) for m in per_probe.values()), default=math.nan)
        wild = sum(m.wild for m in per_probe.values())
        numbers: tuple[Because, ...] = (Because("index", index), Because("probes", len(per_probe)))
        if wild:
            numbers += (Because("wild samples left out", wild),)
        if per_probe:
            return [Judgement("reflow.index", Level.GO, "run", f"Inside the window, index {index:.0f}", numbers)]
        return [
            Judgement(
                "reflow.log", Level.UNKNOWN, "run", "No probe has a record", (), "Check the probes and log again."
            )
        ]
    return found


def _never(probe: str, name: str, metrics: Metrics) -> Judgement:
    numbers = (Because("peak", metrics.peak_c, "°C"),)
    return Judgement(
        f"reflow.{name}", Level.STOP, probe, f"{probe} never went through the {name}", numbers, "Run again hotter."
    )


def _judged(
    probe: str, name: str, value: float, doubt: Doubt, allowed: tuple[float, float], unit: str, window: ProcessWindow
) -> Judgement | None:
    """Outside when every value the record allows is outside on one side, inside when every one is inside, else can't
    tell.
    """
    low, high = (edge + sign * TOUCHING * max(1.0, abs(edge)) for edge, sign in zip(allowed, (-1, 1), strict=True))
    numbers = (Because("wanted from", allowed[0], unit), Because("to", allowed[1], unit))
    if low <= doubt.low and doubt.high <= high:
        return None
    if doubt.high < low or doubt.low > high:
        way = 1 if doubt.low > high else -1
        value = value if math.isfinite(value) else doubt.low if way > 0 else doubt.high
        hard = (
            name == "peak"
            or (name == "above melting" and (value > window.above_melting_hard_s or value <= 0))
            or (name == "cooling" and value > window.cooling_hard)
        )
        shown = f"{value / 60:.1f} min to peak" if name == "to peak" else f"{show_number(value)} {unit}"
        return Judgement(
            f"reflow.{name}",
            Level.STOP if hard else Level.CARE,
            probe,
            f"{probe} {_VERB[name]} {shown}",
            (Because(name, value, unit), *numbers),
            _ADVICE.get((name, way), ""),
        )
    return Judgement(f"reflow.{name}", Level.UNKNOWN, probe, doubt.why)


def _untold(why: str, cases: list[tuple[str, str, Doubt, str]]) -> Judgement:
    """One gap or end of the record, and all that it leaves open."""
    names = list(dict.fromkeys(_NOUN[name] for _, name, _, _ in cases))
    shown = names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
    rule = f"reflow.{cases[0][1]}" if len(names) == 1 else "reflow.log"
    probes = list(dict.fromkeys(probe for probe, *_ in cases))
    subject = probes[0] if len(probes) == 1 else "record"
    of = f" of {probes[0]}" if len(probes) == 1 else ""
    because = tuple(
        Because(
            f"{probe}, {_NOUN[name]}",
            f"{show_number(d.low)} to {'any' if math.isinf(d.high) else show_number(d.high)}",
            unit,
        )
        for probe, name, d, unit in cases
    )
    do = "Log the whole run, from cold to solid again, a sample a second; run a test board if this one is gone."
    return Judgement(
        rule, Level.UNKNOWN, f"{subject}, {why}", f"The record does not tell {shown}{of}: {why}", because, do
    )
