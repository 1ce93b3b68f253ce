"""Probe plan: pairs of pads of different nets that stand close enough to bridge."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
import shapely

from fusilex.core.design.model import Design, Pad, Part
from fusilex.core.electrical.network import resistor_network
from fusilex.core.judgement import Because, Judgement, Level

MAX_GAP_MM = 0.6
OPEN_ABOVE_OHM = 100.0
"""Two nets that read less count as joined, unless the parts between them explain it: then half of their resistance
does.
"""
WIRE_OHM = 1.0
"""A bridge of solder and the meter's leads read less than this."""


@dataclass(frozen=True)
class ProbePair:
    """Two pads to probe, `a` and `b`, and their edge-to-edge gap (mm).

    `also` names other close pairs of these two nets; `expected` is the resistance (Ω) of the parts that join the nets
    on a good board, infinite when none do, NaN when one of them has a value that cannot be read.
    """

    a: Pad
    b: Pad
    gap: float
    also: tuple[str, ...] = field(default=())
    expected: float = math.inf
    open_above: float = OPEN_ABOVE_OHM

    @property
    def key(self) -> str:
        return f"{self.a.name} – {self.b.name}"

    @property
    def limit(self) -> float:
        """Below this reading (Ω) the two nets are joined."""
        return self.open_above if math.isnan(self.expected) else min(self.open_above, self.expected / 2)

    def level(self, reading: float) -> Level:
        """What a reading (Ω, inf for open) says: apart (go), joined (stop), or can't tell where a part's value is not
        known.
        """
        if reading > self.limit:
            return Level.GO
        return Level.UNKNOWN if math.isnan(self.expected) and reading > WIRE_OHM else Level.STOP


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
    return tuple((0, int(part[:15])) if part.isdecimal() else (1, part) for part in re.findall(r"\d+|\D+", name))


def nets_known(design: Design) -> bool:
    """True when any file says which net a pad is on."""
    return any(pad.net for pad in design.pads)


def judge_plan(design: Design, plan: list[ProbePair], max_gap: float = MAX_GAP_MM) -> list[Judgement]:
    """Can't tell where no file names nets, or pads without a net were left out; go where nothing stands close enough
    to bridge.
    """
    without = sum(not pad.net for pad in design.pads)
    numbers = (Because("pads", len(design.pads)), Because("without a net", without), Because("gap", max_gap, "mm"))
    do = "Add a netlist (IPC-D-356A) or copper layers with net attributes (X2)."
    if not nets_known(design):
        return [Judgement("test.nets", Level.UNKNOWN, "nets", "No file says which net a pad is on", numbers, do)]
    if not plan:
        return [
            Judgement("test.nets", Level.GO, "nets", "No pads of different nets stand close enough to bridge", numbers)
        ]
    return []


def judge_unseen(plan: list[ProbePair], hidden: Sequence[Part]) -> list[Judgement]:
    """Can't tell, part by part, for joints that nobody sees and no pair of the plan has."""
    in_plan = {name for p in plan for name in (p.a.name, p.b.name, *(n for pair in p.also for n in pair.split(" – ")))}
    found = []
    for part in hidden:
        pins = sorted({pad.pin for pad in part.pads if pad.name not in in_plan}, key=_natural)
        if pins:
            shown = ", ".join(pins[:6]) + (" …" if len(pins) > 6 else "")
            text = f"{len(pins)} joints of {part.ref} can neither be seen nor are they probed"
            if len(pins) == 1:
                text = f"1 joint of {part.ref} can neither be seen nor is it probed"
            do = "Test the function that needs them, or have the board X-rayed."
            found.append(
                Judgement("test.hidden", Level.UNKNOWN, part.ref, text, (Because("pins", shown),), do, (part.ref,))
            )
    return found


def judge_readings(plan: list[ProbePair], readings: dict[str, float]) -> list[Judgement]:
    """Shorts among the readings (Ω by pair key), and what is still unread; nothing for an empty plan."""
    found = []
    for pair in plan:
        value = readings.get(pair.key)
        level = Level.GO if value is None else pair.level(value)
        numbers = (
            Because("read", value or 0.0, "Ω"),
            Because("wanted above", pair.limit, "Ω"),
            Because("gap", pair.gap, "mm"),
        )
        if level is Level.STOP:
            text, do = (
                f"{pair.a.net} and {pair.b.net} are joined",
                f"Look for a bridge between {pair.a.name} and {pair.b.name}.",
            )
        elif level is Level.UNKNOWN:
            text = f"{pair.a.net} and {pair.b.net} may be joined: a resistor between them has no value that can be read"
            do = "Correct its value in the bill of materials, or lift one end and read again."
        else:
            continue
        found.append(Judgement("test.short", level, pair.key, text, numbers, do, (pair.a.ref, pair.b.ref)))
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
    elif plan and not found:
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
