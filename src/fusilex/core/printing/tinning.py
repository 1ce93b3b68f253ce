"""Pads tinned with iron and wire in place of paste: every pad alike, and how much wire each takes."""

from __future__ import annotations

import math

import numpy as np

from fusilex.core.printing.apertures import Apertures
from fusilex.core.printing.dots import DotPlan
from fusilex.core.tours import length, path_bound, short_path

WIRE_MM, FLUX_SHARE = 0.5, 0.1
"""Usual wire: half a millimetre, a tenth of its cross-section flux (2.2 % by mass of tin-lead, flux of 1 g/cm³)."""
FILM_MM = 0.05
"""Solder stands about so high on a pad that is tinned thinly."""


def wire_mm(volume_mm3: float, diameter_mm: float = WIRE_MM, flux_share: float = FLUX_SHARE) -> float:
    """Length of wire (mm) that holds a volume of solder: V / (π d²/4 (1 − flux)).

    >>> round(wire_mm(0.1), 2)
    0.57
    """
    return volume_mm3 / (math.pi * diameter_mm**2 / 4 * (1 - flux_share))


def plan_tinning(apertures: Apertures) -> DotPlan:
    """Every pad, those under bodies too, on a short way: what gets no solder melts none. `volume` is a thin film of
    solder (mm³), `dots` millimetres of usual wire, rounded up.
    """
    chosen = range(len(apertures))
    at = np.column_stack([apertures.x, apertures.y]).reshape(-1, 2)
    volume = apertures.area * FILM_MM
    wire = np.array([math.ceil(wire_mm(v)) for v in volume.tolist()], dtype=int)
    order = short_path(at)
    names = tuple((apertures.refs[i], apertures.pins[i]) for i in chosen)
    return DotPlan(names, at, volume, apertures.width, wire, 1.0, order, length(at, order), path_bound(at))
