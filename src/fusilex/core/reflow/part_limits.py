"""How hot a part's body may get: by its thickness and volume, unless its sheet says otherwise.

IPC/JEDEC J-STD-020, tables of classification temperatures for eutectic tin-lead and for lead-free assembly.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from fusilex.core.design.model import Part
from fusilex.core.packages.catalogue import Package

THIN_MM, THICK_MM, SMALL_MM3, LARGE_MM3 = 1.6, 2.5, 350.0, 2000.0
_LEAD_FREE = ((260.0, 260.0, 260.0), (260.0, 250.0, 245.0), (250.0, 245.0, 245.0))


def body_limit(package: Package, leaded: bool = False) -> float:
    """The classification temperature (°C) of a body.

    >>> from fusilex.core.packages.catalogue import package_of
    >>> body_limit(package_of("SOIC-8")), body_limit(package_of("Choke 7x7"))
    (260.0, 250.0)
    """
    volume = package.size_x * package.size_y * package.height
    thin, thick = package.height < THIN_MM, package.height > THICK_MM
    large = 0 if volume < SMALL_MM3 else 1 if volume <= LARGE_MM3 else 2
    if leaded:
        return 235.0 if not thick and not package.height >= THICK_MM and volume < SMALL_MM3 else 220.0
    return _LEAD_FREE[0 if thin else 2 if thick else 1][large]


def limits_of(
    parts: Sequence[Part], leaded: bool = False, typed: Mapping[str, float] | None = None
) -> dict[str, float]:
    """Limits (°C) by reference; `typed` ones, by reference, win."""
    return {p.ref: (typed or {}).get(p.ref, body_limit(p.package, leaded)) for p in parts}
