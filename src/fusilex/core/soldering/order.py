"""Order of soldering by hand."""

from __future__ import annotations

from fusilex.core.design.model import Design, Part
from fusilex.core.placing.order import placed_by_paste


def by_height(design: Design, pasted_side: str | None = "top") -> list[Part]:
    """Parts that paste does not hold, lowest first: the other side's surface-mount parts, then through-hole.

    Surface-mount parts go before through-hole ones, whose leads would keep the board from lying flat.
    """
    left = [p for p in design.parts if p.populated and not (pasted_side and placed_by_paste(p, pasted_side))]
    return sorted(left, key=lambda p: (p.through_hole, p.package.height, p.ref))
