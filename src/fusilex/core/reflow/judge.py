"""A run's metrics against the paste's window: inside, outside, or not told by the record."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from fusilex.core.evidence import Coverage, Level, every, seen
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.reflow.metrics import FIELD_OF, Doubt, Metrics, window_index
from fusilex.core.reflow.windows import ProcessWindow
from fusilex.core.wording import Said, say

TOUCHING = 1e-9
"""Share of a limit by which rounding may put a value beyond it."""
_ADVISED = {
    ("heating", 1), ("soak", -1), ("soak", 1), ("above melting", -1), ("above melting", 1), ("peak", -1), ("peak", 1),
    ("cooling", 1), ("to peak", 1),
}  # fmt: skip
"""Metrics, and the way in which they leave their range, for which there is something to do."""


def judge_profile(
    per_probe: Mapping[str, Metrics], window: ProcessWindow, silent: Sequence[str] = ()
) -> list[Judgement]:
    """One judgement per metric outside its range, probe by probe, and one for each reason why the record does not
    tell; a go with the index when all are inside, and no probe was `silent`.

    Ranges include their limits. Time to the peak has no lower limit and is not part of the index.
    """
    found = []
    untold: dict[Said, list[tuple[str, str, Doubt, str]]] = {}
    for probe, metrics in per_probe.items():
        to_peak = ("to peak", metrics.to_peak_s, (0.0, window.to_peak_s), "s")
        for name, value, allowed, unit in (*metrics.ranged(window), to_peak):
            doubt = metrics.doubts.get(FIELD_OF[name], Doubt(value, value))
            if math.isnan(value) and not doubt.why:
                found.append(_never(probe, name, metrics))
            elif judged := _judged(probe, name, value, doubt, allowed, unit, window):
                if judged.level is Level.UNKNOWN and doubt.why:
                    untold.setdefault(doubt.why, []).append((probe, name, doubt, unit))
                else:
                    found.append(judged)
    found += [_untold(why, cases) for why, cases in untold.items()]
    if silent and per_probe:
        text, do = say("silent", probes=tuple(silent)), say("check them")
        missing = ("a log of these thermocouples",)
        probes = (Coverage("probes", len(per_probe), len(per_probe) + len(silent)),)
        found.append(Judgement("reflow.log", Level.UNKNOWN, "silent", text, (), do, (), missing, probes))
    if not found:
        index = max((window_index(m, window) for m in per_probe.values()), default=math.nan)
        wild = sum(m.wild for m in per_probe.values())
        numbers: tuple[Quantity, ...] = (Quantity("index", index), Quantity("probes", len(per_probe)))
        if wild:
            numbers += (Quantity("wild samples left out", wild),)
        if per_probe:
            text, probes = say("within", index=index), (every("probes", len(per_probe)),)
            return [Judgement("reflow.index", seen(*probes), "run", text, numbers, coverage=probes)]
        text, do, missing = say("no thermocouple"), say("check them"), ("a log of a thermocouple",)
        return [Judgement("reflow.log", Level.UNKNOWN, "run", text, (), do, (), missing)]
    return found


def _never(probe: str, name: str, metrics: Metrics) -> Judgement:
    numbers = (Quantity("peak", metrics.peak_c, "°C"),)
    text, do = say("never", probe=probe), say("hotter")
    return Judgement(f"reflow.{name}", Level.STOP, probe, text, numbers, do)


def _judged(
    probe: str, name: str, value: float, doubt: Doubt, allowed: tuple[float, float], unit: str, window: ProcessWindow
) -> Judgement | None:
    """Outside when every value the record allows is outside on one side, inside when every one is inside, else can't
    tell.
    """
    low, high = (edge + sign * TOUCHING * max(1.0, abs(edge)) for edge, sign in zip(allowed, (-1, 1), strict=True))
    numbers = (Quantity("limit from", allowed[0], unit), Quantity("to", allowed[1], unit))
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
        between = None if doubt.low == doubt.high else (doubt.low, doubt.high)
        own = Quantity(name, value, unit, between, allowed, window.name)
        edge = Quantity("limit", allowed[1] if way > 0 else allowed[0], unit)
        text = say("above" if way > 0 else "below", probe=probe, own=own, limit=edge)
        do = say("lower" if way > 0 else "raise") if (name, way) in _ADVISED else None
        level = Level.STOP if hard else Level.CARE
        return Judgement(f"reflow.{name}", level, probe, text, (own, *numbers), do)
    return Judgement(
        f"reflow.{name}", Level.UNKNOWN, probe, say("not shown", why=doubt.why), missing=("a log of the whole run",)
    )


def _untold(why: Said, cases: list[tuple[str, str, Doubt, str]]) -> Judgement:
    """One gap or end of the record, and all that it leaves open."""
    names = list(dict.fromkeys(name for _, name, _, _ in cases))
    rule = f"reflow.{names[0]}" if len(names) == 1 else "reflow.log"
    probes = tuple(dict.fromkeys(probe for probe, *_ in cases))
    subject = probes[0] if len(probes) == 1 else "record"
    because = tuple(Quantity(f"{probe}, {name} from", d.low, unit) for probe, name, d, unit in cases)
    because += tuple(Quantity(f"{probe}, {name} to", d.high, unit) for probe, name, d, unit in cases)
    text = say("not shown by", probes=probes, metrics=tuple(names), why=why)
    missing = ("a log of the whole run",)
    return Judgement(
        rule, Level.UNKNOWN, f"{subject}, {cases[0][2].words}", text, because, say("log the whole run"), (), missing
    )
