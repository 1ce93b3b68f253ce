"""Chip sizes the files disagree on: placement list against bill of materials, and both against the pads."""

from __future__ import annotations

import math
from collections import defaultdict

import numpy as np
import shapely

from fusilex.core.checks.findings import Finding
from fusilex.core.checks.fixes import Fix
from fusilex.core.design.model import Design, Part
from fusilex.core.design.pad_evidence import size_code_traps
from fusilex.core.design.pads import lines_by_ref
from fusilex.core.evidence import Level
from fusilex.core.packages.chips import CHIP_SIZES, EVERYDAY, chip_code
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

SAME_PLACE_MM = 0.05  # one pad drawn twice
TOO_FAR = 1.45
"""Ratio of the distance between two pads' middles to a body's length, from which on the body does not fit; land
patterns for the iron reach 1.3.
"""


def size_findings(design: Design) -> list[Finding]:
    """Parts with two sizes in the lists, or with one that does not fit their pads; one finding for all of one line."""
    lines = lines_by_ref(design)
    placed = {p.ref: p.package for p in design.placements}
    trapped = {ref for trap in size_code_traps(design) for ref in trap.refs}
    groups: dict[tuple[str, str, str, str, int], list[tuple[Part, float]]] = defaultdict(list)
    for part, apart in _two_pads(design):
        bought = lines[part.ref].package if part.ref in lines else ""
        first, second = (chip_code(t, design.catalogue.metric) or "" for t in (placed.get(part.ref, ""), bought))
        differ = bool(first and second and first != second)
        if part.ref not in trapped and (differ or _does_not_fit(first or second, apart)):
            fits = min(EVERYDAY, key=lambda code: abs(math.log(apart / CHIP_SIZES[code][1])))
            texts = placed.get(part.ref, ""), bought
            text = next((t for t, code in zip(texts, (first, second), strict=True) if code == fits), _both(fits))
            line = lines[part.ref].line if part.ref in lines else 0
            groups[first, second, fits, text, line].append((part, apart))
    return [_finding(*key, members) for key, members in groups.items()]


def _two_pads(design: Design) -> list[tuple[Part, float]]:
    """Surface-mount parts on two pads, and how far the pads' middles are apart (mm)."""
    parts = [
        p
        for p in design.parts
        if p.populated and len(p.pads) == 2 and not p.through_hole and p.package.code not in design.catalogue.own
    ]
    if not parts:
        return []
    boxes = shapely.bounds([pad.polygon for part in parts for pad in part.pads])
    middles = ((boxes[:, :2] + boxes[:, 2:]) / 2).reshape(-1, 2, 2)
    apart = np.hypot(*(middles[:, 1] - middles[:, 0]).T).tolist()
    return [(part, d) for part, d in zip(parts, apart, strict=True) if d > SAME_PLACE_MM]


def _both(code: str) -> str:
    """The size in both codes, which nobody reads wrongly."""
    return f"{code} ({CHIP_SIZES[code][0]})"


def _does_not_fit(code: str, apart: float) -> bool:
    """The pads are too far apart or too near for a body, and another everyday size fits them better."""
    off = {c: abs(math.log(apart / CHIP_SIZES[c][1])) for c in {*EVERYDAY, code} if c}
    return bool(code) and off[code] > math.log(TOO_FAR) and min(off, key=lambda c: off[c]) != code


def _finding(placed: str, bought: str, fits: str, text: str, line: int, members: list[tuple[Part, float]]) -> Finding:
    refs = tuple(part.ref for part, _ in members)
    first, apart = members[0]
    name = ", ".join(refs[:4]) + (" …" if len(refs) > 4 else "")
    if placed and bought and placed != bought:
        said = say("lists differ", parts=refs, placed=placed, bought=bought, fits=fits)
    else:
        said = say("pads differ", parts=refs, listed=placed or bought, fits=fits)
    return Finding(
        "size",
        first.ref,
        "pads",
        said,
        first.x,
        first.y,
        Level.STOP,
        quantities=(
            Quantity("pads' middles apart", round(apart, 2), "mm"),
            *(
                Quantity(f"{code} long", CHIP_SIZES[code][1], "mm")
                for code in dict.fromkeys((placed, bought, fits))
                if code
            ),
        ),
        fix=Fix("package", first.ref, {"package": text, "refs": list(refs)}, f"{name} taken as {text}"),
        refs=refs,
    )
