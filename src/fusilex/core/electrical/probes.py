"""Probe plan: pairs of pads of different nets that stand close enough to bridge."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
import shapely

from fusilex.core.board.model import Design, Pad
from fusilex.core.electrical.network import resistor_network
from fusilex.core.judgement import Because, Judgement, Level

MAX_GAP_MM = 0.6
OPEN_ABOVE_OHM = 100.0
"""Two nets that read less count as joined, unless the parts between them explain it: then half of their resistance does."""


@dataclass(frozen=True)
class ProbePair:
    """Two pads to probe, `a` and `b`, and their edge-to-edge gap (mm).

    `also` names other close pairs of these two nets; `expected` is the resistance (Ω) of the parts that join the nets on a
    good board, infinite when none do.
    """

    a: Pad
    b: Pad
    gap: float
    also: tuple[str, ...] = field(default=())
    expected: float = math.inf

    @property
    def key(self) -> str:
        return f"{self.a.name} – {self.b.name}"

    @property
    def limit(self) -> float:
        """Below this reading (Ω) the two nets are joined."""
        return min(OPEN_ABOVE_OHM, self.expected / 2)

    def apart(self, reading: float) -> bool:
        """True when a reading (Ω, inf for open) says the two nets are apart."""
        return reading > self.limit


def probe_plan(design: Design, max_gap: float = MAX_GAP_MM) -> list[ProbePair]:
    """Pairs of different nets closer than `max_gap` mm edge to edge on one side, worst first, each net pair once.

    The closest pair stands for its two nets. Pads without a net are left out.
    """
    if not 0 < max_gap <= 10:
        raise ValueError(f"a bridging distance is between 0 and 10 mm, not {max_gap:g}")
    best: dict[tuple[str, str], list[tuple[float, Pad, Pad]]] = {}
    for side in ("top", "bottom"):
        pads = [p for p in design.pads if p.net and (p.side == side or p.drill > 0)]
        if len(pads) < 2:
            continue
        shapes = np.array([p.polygon for p in pads], dtype=object)
        i, j = shapely.STRtree(shapes).query(shapes, predicate="dwithin", distance=max_gap)
        i, j = i[i < j], j[i < j]
        gaps = shapely.distance(shapes[i], shapes[j])
        for p, q, gap in zip(i, j, gaps, strict=True):
            a, b = sorted((pads[p], pads[q]), key=lambda pad: _natural(pad.name))
            if a.net != b.net and gap < max_gap:
                key = tuple(sorted((a.net or "", b.net or "")))
                best.setdefault(key, []).append((float(gap), a, b))  # type: ignore[arg-type]
    network = resistor_network(design)
    plan = []
    for found in best.values():
        found.sort(key=lambda f: (round(f[0], 6), _natural(f[1].name)))
        gap, a, b = found[0]
        plan.append(
            ProbePair(
                a,
                b,
                gap,
                tuple(dict.fromkeys(f"{x.name} – {y.name}" for _, x, y in found[1:])),
                network.between(a.net or "", b.net or ""),
            )
        )
    return sorted(plan, key=lambda pair: (round(pair.gap, 6), _natural(pair.a.name), _natural(pair.b.name)))


def _natural(name: str) -> tuple[object, ...]:
    import re

    return tuple((0, int(part)) if part.isdigit() else (1, part) for part in re.findall(r"\d+|\D+", name))


def judge_readings(plan: list[ProbePair], readings: dict[str, float]) -> list[Judgement]:
    """Shorts among the readings (Ω by pair key), and what is still unread."""
    found = []
    for pair in plan:
        value = readings.get(pair.key)
        if value is not None and not pair.apart(value):
            found.append(
                Judgement(
                    "test.short",
                    Level.STOP,
                    pair.key,
                    f"{pair.a.net} and {pair.b.net} are joined",
                    (
                        Because("read", value, "Ω"),
                        Because("wanted above", pair.limit, "Ω"),
                        Because("gap", pair.gap, "mm"),
                    ),
                    f"Look for a bridge between {pair.a.name} and {pair.b.name}.",
                    (pair.a.ref, pair.b.ref),
                )
            )
    unread = sum(p.key not in readings for p in plan)
    if unread:
        found.append(
            Judgement(
                "test.unread",
                Level.UNKNOWN,
                "readings",
                f"{unread} of {len(plan)} pairs not read",
                (Because("closest unread", next(p.gap for p in plan if p.key not in readings), "mm"),),
            )
        )
    elif not found:
        found.append(
            Judgement(
                "test.short",
                Level.GO,
                "readings",
                "No two neighbours are joined",
                (Because("pairs", len(plan)), Because("limit", OPEN_ABOVE_OHM, "Ω")),
            )
        )
    return found
