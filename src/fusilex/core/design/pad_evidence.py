"""What the pads say of a part's body: its terminations, its size, and whether the size code in the lists can be
right.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fusilex.core.design.frames import board_to_part
from fusilex.core.design.model import Design, Pad, Part, Placement
from fusilex.core.packages.catalogue import Package, density_of, package_of
from fusilex.core.packages.chips import CHIP_SIZES, EVERYDAY, METRIC_ONLY, METRIC_TO_INCH, ambiguous_code
from fusilex.core.quantities import write_length


class Pattern(Struct, frozen=True):
    """A part's pads in its own frame: count, spans to the outer edges and between outermost middles (mm), smallest
    pitch.
    """

    count: int
    span_x: float
    span_y: float
    middle_x: float
    middle_y: float
    pitch: float
    holes: bool

    @property
    def words(self) -> str:
        kind = "leads in holes" if self.holes else "pads"
        return f"{self.count} {kind}" + (f", pitch {write_length(self.pitch)}" if self.count > 2 else "")


def pattern_of(pads: Sequence[Pad], at: tuple[float, float], turn: float, side: str) -> Pattern:
    """Measure pads in the part's own frame. Raises ValueError for none."""
    if not pads:
        raise ValueError("a pattern needs pads")
    boxes = np.array([p.polygon.bounds for p in pads])
    corners = board_to_part(
        np.concatenate([boxes[:, :2], boxes[:, 2:], boxes[:, [0, 3]], boxes[:, [2, 1]]]), at, turn, side
    )
    span = np.ptp(corners, axis=0)
    middles = board_to_part((boxes[:, :2] + boxes[:, 2:]) / 2, at, turn, side)
    between = np.ptp(middles, axis=0)
    gaps = np.hypot(*(middles[:, None] - middles[None]).transpose(2, 0, 1))
    gaps[gaps < 1e-3] = np.inf  # a lead's pads on both sides are one
    pitch = float(gaps.min()) if np.isfinite(gaps).any() else 0.0
    (width, height), (wide, high) = span.tolist(), between.tolist()
    return Pattern(len({p.pin for p in pads}), width, height, wide, high, pitch, any(p.drill > 0 for p in pads))


def body_on_pads(package: Package, pads: Sequence[Pad], placement: Placement) -> Package:
    """A body that no catalogue knows, sized by its pads: two pads by the nearest chip size, else their span. Still a
    guess.
    """
    pattern = pattern_of(pads, (placement.x, placement.y), placement.rotation_deg, placement.side)
    if pattern.count == 2 and not pattern.holes:
        code = nearest_chip(pattern)
        chip = package_of(code, placement.ref) if code else None
        if chip is not None:
            mark = {"polarised": chip.polarised or package.polarised, "told": package.told}
            return replace(chip, code=package.code or f"like {code}", known=False, **mark)
    x, y = max(0.4, pattern.span_x * 0.9), max(0.4, pattern.span_y * 0.9)
    family = (
        package.family if package.family != "other" else "ic" if pattern.count > 4 and not pattern.holes else "other"
    )
    ends = ("lead" if pattern.holes else "pad") + ("s" if pattern.count > 1 else "")
    code = package.code or f"{pattern.count} {ends}, {max(x, y):.1f} × {min(x, y):.1f}"
    mass = density_of(family) * x * y * package.height
    return replace(package, code=code, size_x=x, size_y=y, family=family, mass_mg=mass, mass_from="volume")


def nearest_chip(pattern: Pattern) -> str | None:
    """Inch code of the chip whose length fits the middles of two pads best, or None when none is within 35 %.

    On the usual land patterns (IPC-7351, nominal density) the pads' middles stand about one body length apart.
    """
    apart = max(pattern.middle_x, pattern.middle_y)
    code = min(EVERYDAY, key=lambda c: abs(np.log(apart / CHIP_SIZES[c][1])))
    return code if abs(np.log(apart / CHIP_SIZES[code][1])) < np.log(1.35) else None


class CodeTrap(Struct, frozen=True):
    """Parts with one bare size code whose pads fit the other code's body: `code` as written, read as it is now and as
    it fits.
    """

    code: str
    refs: tuple[str, ...]
    pads_apart: float
    read_length: float
    fits_length: float


def size_code_traps(design: Design) -> list[CodeTrap]:
    """Every bare size code that the pads contradict: their middles stand nearer to one body length of the other
    code.
    """
    groups: dict[str, list[tuple[Part, float]]] = {}
    for part in design.parts:
        code = ambiguous_code(part.package.code)
        if part.populated and code and len(part.pads) == 2 and part.package.code not in design.catalogue.own:
            pattern = pattern_of(part.pads, (part.x, part.y), part.rotation_deg, part.side)
            groups.setdefault(code, []).append((part, max(pattern.middle_x, pattern.middle_y)))
    found = []
    for code, members in groups.items():
        metric = design.catalogue.metric
        read, other = (METRIC_TO_INCH[code], code) if metric else (code, METRIC_TO_INCH[code])
        lengths = CHIP_SIZES[read][1], CHIP_SIZES[other][1]
        wrong = [(p, d) for p, d in members if abs(np.log(d / lengths[1])) < abs(np.log(d / lengths[0]))]
        if wrong:
            apart = float(np.median([d for _, d in wrong]))
            found.append(CodeTrap(code, tuple(p.ref for p, _ in wrong), apart, *lengths))
    return found


def mixed_codes(design: Design) -> tuple[str, ...]:
    """Bare codes of both kinds in one design: some that stand in both columns, beside some that only metric code
    knows.
    """
    texts = {p.package.code for p in design.parts if p.populated}
    bare = sorted({c for t in texts if (c := ambiguous_code(t))})
    only_metric = sorted({t for t in texts if t.strip() in METRIC_ONLY})
    return (*bare, *only_metric) if bare and only_metric else ()
