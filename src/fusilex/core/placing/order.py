"""The order in which parts are placed by hand."""

from __future__ import annotations

from collections.abc import Iterable

from fusilex.core.design.model import Design, Part
from fusilex.core.kit.quantities import placing_key


def placed_by_paste(part: Part, side: str) -> bool:
    """True for a fitted surface-mount part of the side that gets paste."""
    return part.populated and part.side == side and not part.through_hole


def hand_order(design: Design, side: str = "top", school: str = "kind") -> list[Part]:
    """Surface-mount parts of a side in the order of a school."""
    return placing_order((p for p in design.parts if placed_by_paste(p, side)), school)


def placing_order(parts: Iterable[Part], school: str = "kind") -> list[Part]:
    """Parts in the order of a school; within a value left to right, so the hand walks."""

    def key(part: Part) -> tuple[tuple[float, ...], str, str, float, float]:
        return placing_key(part.package, school, part.x), part.value, part.package.code, round(part.x, 1), part.y

    return sorted(parts, key=key)
