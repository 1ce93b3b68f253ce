"""Readings with a meter on a board without power: pairs of pads that must be apart, and the worst of them first."""

from __future__ import annotations

import math
import re
from functools import cached_property, lru_cache

import numpy as np
import shapely
from msgspec import Struct, field

from fusilex.core.design.model import Design, Pad
from fusilex.core.electrical.network import ResistorNetwork, resistor_network
from fusilex.core.electrical.shown import AT_ONCE, Between, Shown, between_nets
from fusilex.core.evidence import Level, every, seen
from fusilex.core.measuring.guard import EXACT, Uncertainty

MAX_GAP_MM, WIDEST_MM = 0.6, 10.0
OPEN_ABOVE_OHM = 100.0
"""Two nets that read less count as joined, unless the parts between them explain it: then half of their resistance
does.
"""
WIRE_OHM = 1.0
"""A bridge of solder and the meter's leads read less than this."""
JOINED_BELOW_OHM = 2.0
"""A joint, its track and the meter's leads read less than this; a joint that holds by touch alone reads more."""


class ProbePair(Struct, frozen=True, dict=True):
    """Two pads to probe, `a` and `b`, and their edge-to-edge gap (mm).

    `also` names other close pairs of these two nets; `expected` is the resistance (Ω) of the parts that join the nets
    on a good board, infinite when none do, NaN when one of them has a value that cannot be read. `purpose` says what
    the reading is for: nets ``apart``, a supply ``rail`` off its ground or another rail, pads ``joined``, or a
    resistor's ``value``. Good resistors between the nets give `least` to `most` (Ω). `gaps` are those of all close
    places, `shown` is how the reading comes about. Of `strict` ones too little is as wrong as too much.
    """

    a: Pad
    b: Pad
    gap: float
    also: tuple[str, ...] = field(default=())
    expected: float = math.inf
    open_above: float = OPEN_ABOVE_OHM
    purpose: str = "apart"
    gaps: tuple[float, ...] = ()
    shown: Shown = AT_ONCE
    least: float = 0.0
    most: float = math.inf
    strict: bool = False

    @cached_property
    def key(self) -> str:
        return f"{self.a.name} – {self.b.name}"

    @cached_property
    def names(self) -> frozenset[str]:
        """Pads it speaks for: its own, and those of the other close places of its nets."""
        return frozenset(name for pair in (self.key, *self.also) for name in pair.split(" – "))

    @cached_property
    def refs(self) -> frozenset[str]:
        """Parts it speaks for."""
        return frozenset(name.rpartition(".")[0] for name in self.names)

    @property
    def limit(self) -> float:
        """Below this reading (Ω) the two nets are joined."""
        if self.purpose == "joined":
            return JOINED_BELOW_OHM
        return self.open_above if math.isnan(self.expected) else min(self.open_above, self.expected / 2)

    @property
    def want(self) -> str:
        """`below` its limit, `above` it, or `between` two."""
        return {"joined": "below", "value": "between"}.get(self.purpose, "above")

    def level(self, reading: float, meter: Uncertainty = EXACT) -> Level:
        """What a reading (Ω, inf for open) says of the joint or the bridge, limits drawn in by what the meter leaves
        open: well (go), not (stop), or can't tell.
        """
        if self.purpose == "joined":
            return meter.below(reading, self.limit)
        level = meter.above(reading, self.limit)
        return Level.UNKNOWN if level is Level.STOP and math.isnan(self.expected) and reading > WIRE_OHM else level

    def value_level(self, reading: float, meter: Uncertainty = EXACT) -> Level:
        """What a reading says of the resistors between the nets. Too much proves a wrong part or an open joint (stop);
        too little may be another path beside them (care); go where nothing is expected.
        """
        if math.isinf(self.most) and not self.least:
            return seen(every("readings", 1))
        low, high = meter.above(reading, self.least), meter.below(reading, self.most)
        little = Level.STOP if self.strict else Level.CARE
        return high if high is not Level.GO else little if low is Level.STOP else low


def probe_plan(
    design: Design,
    max_gap: float = MAX_GAP_MM,
    network: ResistorNetwork | None = None,
    between: Between | None = None,
) -> list[ProbePair]:
    """Pairs of different nets closer than `max_gap` mm edge to edge on one side, worst first, each net pair once.

    The closest pair stands for its two nets. Pads without a net are left out. Raises ValueError for a distance that is
    none.
    """
    if not 0 < max_gap <= WIDEST_MM:
        raise ValueError(f"a bridging distance is between 0 and {WIDEST_MM:g} mm, not {max_gap:g}")
    best: dict[tuple[str, str], list[tuple[float, Pad, Pad]]] = {}
    for side in ("top", "bottom"):
        pads = [p for p in design.pads if p.net and (p.side == side or p.drill > 0)]
        if len(pads) < 2:
            continue
        shapes = np.array([p.polygon for p in pads], dtype=object)
        i, j = shapely.STRtree(shapes).query(shapes, predicate="dwithin", distance=max_gap)
        i, j = i[i < j], j[i < j]
        _, net = np.unique([p.net for p in pads], return_inverse=True)
        i, j = i[net[i] != net[j]], j[net[i] != net[j]]
        gaps = shapely.distance(shapes[i], shapes[j])
        for p, q, gap in zip(i.tolist(), j.tolist(), gaps.tolist(), strict=True):
            if gap < max_gap:
                a, b = sorted((pads[p], pads[q]), key=lambda pad: natural(pad.name))
                key = tuple(sorted((a.net or "", b.net or "")))
                best.setdefault(key, []).append((gap, a, b))  # type: ignore[arg-type]
    network = network or resistor_network(design)
    between = between or between_nets(design)
    plan = []
    for found in best.values():
        found.sort(key=lambda f: (round(f[0], 6), natural(f[1].name)))
        gap, a, b = found[0]
        nets = a.net or "", b.net or ""
        also = tuple(dict.fromkeys(f"{x.name} – {y.name}" for _, x, y in found[1:]))
        gaps = tuple(g for g, _, _ in found)
        least, most = network.band(*nets)
        ohm, shown = network.between(*nets), between.shown(*nets)
        plan.append(ProbePair(a, b, gap, also, ohm, gaps=gaps, shown=shown, least=least, most=most))
    return sorted(plan, key=lambda pair: (round(pair.gap, 6), natural(pair.a.name), natural(pair.b.name)))


@lru_cache(maxsize=1 << 16)
def natural(name: str) -> tuple[object, ...]:
    """To sort names by: U2 before U10."""
    return tuple((0, int(part[:15])) if part.isdecimal() else (1, part) for part in re.findall(r"\d+|\D+", name))


def nets_known(design: Design) -> bool:
    """True when any file says which net a pad is on."""
    return any(pad.net for pad in design.pads)
