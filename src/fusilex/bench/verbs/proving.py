"""The verbs of Test: what to probe, and what readings of many boards say."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

from fusilex.bench.intake.design import read_design
from fusilex.bench.verbs.answer import Answer
from fusilex.core.electrical.chances import SEEN
from fusilex.core.electrical.checks import checks_of
from fusilex.core.electrical.judge import judge_plan, judge_supply
from fusilex.core.electrical.plan import ProbePlan, plan_readings
from fusilex.core.electrical.probes import MAX_GAP_MM, ProbePair
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement, worst_first
from fusilex.core.measuring.lots import Lot, judge_lots, lots, median_of
from fusilex.core.problems import BadInput
from fusilex.core.quantities import METRIC, Quantity, write_length
from fusilex.core.wording import say, worded
from fusilex.formats.bundle import read_one
from fusilex.formats.lists.readings import read_readings

MOST_MINUTES = 24 * 60


def probes(folder: str, max_gap: float = MAX_GAP_MM, minutes: float | None = None) -> Answer:
    """Pairs of pads that must be apart, worst first, rails, joints and values; the best order of all, or of what so
    many minutes allow. Raises `BadInput`.
    """
    if minutes is not None and not 0 < minutes <= MOST_MINUTES:
        raise BadInput("--minutes", f"minutes above 0, up to {MOST_MINUTES}", f"{minutes:g}")
    design = read_design(folder)
    try:
        checks = checks_of(design, max_gap)
    except ValueError as error:
        raise BadInput("--max-gap", "a distance in mm", str(error)) from error
    plan = plan_readings(checks, design.parts, minutes)
    reach = {p.key for p in checks.all}

    def shown(p: ProbePair) -> dict[str, Any]:
        told = {"chance": plan.chance.get(p.key), "seconds": plan.seconds.get(p.key), "in_reach": p.key in reach}
        return {**_row(p), **told}

    data = {
        "pairs": [shown(p) for p in checks.pairs],
        "rails": [shown(p) for p in checks.rails],
        "connect": [shown(p) for p in checks.joints],
        "values": [shown(p) for p in checks.values],
        "plan": _planned(plan),
        "unproven": [
            *({**shown(p), "why": "no time"} for p in plan.unproven),
            *({**shown(p), "why": "no tip reaches it"} for p in checks.out_of_reach),
        ],
        "plan_seconds": round(plan.total_s, 3),
        "first_finding_seconds": round(plan.expected_s, 3),
        "finds": plan.finds,
        "left": plan.left,
        "max_gap_mm": max_gap,
    }
    rows = [f"{p.a.name:<8} {p.b.name:<8} {write_length(p.gap, 3)}  {p.a.net} / {p.b.net}" for p in checks.pairs]
    if minutes is not None:
        rows = [f"{p.purpose:<7} {p.a.name:<8} {p.b.name:<8} {p.a.net} / {p.b.net}" for p in plan.order]
    judged = [*judge_plan(design, checks.pairs, max_gap), *judge_supply(checks)]
    if data["unproven"]:
        judged = [*judged, _unproven(plan, len(checks.out_of_reach))]
    nothing = "no pair of pads to probe" if minutes is None else "no reading fits into that time"
    return Answer(worst_first(judged), data, "\n".join(rows) or nothing)


def _unproven(plan: ProbePlan, beyond: int) -> Judgement:
    numbers = (
        Quantity("readings", len(plan.order)),
        Quantity("unproven for want of time", len(plan.unproven)),
        Quantity("out of probe reach", beyond),
        Quantity("chance that one of those is bad", plan.left),
    )
    text, do, missing = say("unproven", readings=len(plan.unproven) + beyond), say("more minutes"), ("these readings",)
    return Judgement("test.unread", Level.UNKNOWN, "plan", text, numbers, do, (), missing)


def _row(p: ProbePair) -> dict[str, Any]:
    return {
        "a": p.a.name,
        "b": p.b.name,
        "net_a": p.a.net,
        "net_b": p.b.net,
        "gap_mm": round(p.gap, 5),
        "also": list(p.also),
        "expected_ohm": round(p.expected, 4) if math.isfinite(p.expected) else None,
        "joined_below_ohm": round(p.limit, 4),
        "value_ohm": [round(p.least, 4), round(p.most, 4)] if math.isfinite(p.most) else None,
        "expect": p.shown.words,
        "seen_if_bad": SEEN[p.purpose],
    }


def _planned(plan: ProbePlan) -> list[dict[str, Any]]:
    """Readings in order, with the pad the other tip stays on."""
    return [
        {
            "a": plan.pairs[r.key].a.name,
            "b": plan.pairs[r.key].b.name,
            "kind": plan.pairs[r.key].purpose,
            "port": port.name,
            "parked": plan.park[port.name].name,
            "chance": plan.chance[r.key],
            "seconds": plan.seconds[r.key],
        }
        for port in plan.ports
        for r in port.readings
    ]


def readings(file: str) -> Answer:
    """Odd boards, limits, capability and drift in a list of readings. Raises `BadInput`."""
    found = lots(read_readings(read_one(Path(file)), Path(file).name))
    odd = sorted(((t, z) for lot in found for t, z in lot.odd), key=lambda row: -abs(row[1]))
    data = {
        "odd": [{"board": t.board, "measurement": t.measurement, "z": z, "value": t.value} for t, z in odd],
        "limits": [_limits(lot) for lot in found],
        "cpk": {lot.name: lot.capability and _finite(lot.capability.cpk) for lot in found},
        "cpk_least": {lot.name: lot.capability and _finite(lot.capability.least) for lot in found},
        "drift": [
            {"measurement": lot.name, "of": of, "per_reading": d.per_reading, "chance": d.chance, "told": d.told}
            for lot in found
            for of, d in (("boards", lot.drift), ("reference", lot.reference))
            if d
        ],
        "instrument_first": {
            lot.name: worded("test.instrument", why, units=METRIC) for lot in found if (why := lot.instrument_first)
        },
    }
    text = [f"{lot.name}: {len(lot.taken)} boards, middle {median_of(lot):g} {lot.unit}" for lot in found]
    return Answer(worst_first(judge_lots(found)), data, "\n".join(text))


def _limits(lot: Lot) -> dict[str, Any]:
    """Limits of a measurement where its boards share them, and which boards are out, or too near to tell."""
    every = {(t.low, t.high) for t in lot.taken}
    low, high = next(iter(every)) if len(every) == 1 else (math.nan, math.nan)
    return {
        "measurement": lot.name,
        "unit": lot.unit,
        "low": _finite(low),
        "high": _finite(high),
        "boards": len(lot.taken),
        "median": median_of(lot),
        "outside": [t.board for t in lot.outside],
        "cannot_tell": [t.board for t in lot.taken if t.level is Level.UNKNOWN],
    }


def _finite(value: float) -> float | None:
    return value if math.isfinite(value) else None
