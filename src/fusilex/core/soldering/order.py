"""Order of soldering by hand."""

from __future__ import annotations

from collections.abc import Iterable

from fusilex.core.design.model import Part


def by_height(parts: Iterable[Part]) -> list[Part]:
    """Parts for the iron, lowest first, surface-mount ones before through-hole ones, whose leads would keep the board
    from lying flat.
    """
    return sorted(parts, key=lambda p: (p.through_hole, p.package.height, p.ref))
