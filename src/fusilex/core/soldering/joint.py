"""Solder for a joint by hand: its volume from hole, lead and land, wire for it, and how to heat it.

A joint with a lead has a hollow cone on each side and a filled hole: fillets π h / 3 (r_p² + r_p r_l + r_l² − 3 r_l²)
each (a truncated cone less the lead), the hole π (r_h² − r_l²) t; in a hole that is not plated the one cone alone. On a
land without a hole it is a wedge up the body.
"""

from __future__ import annotations

import math

from msgspec import Struct

from fusilex.core.design.model import Pad, Part

PLAY_MM, COVER_MM = 0.25, 0.1
"""A hole is so much wider than its lead (level B of IPC-2222); solder under and about a body's end at least."""
FLUX_MASS, FLUX_G_CM3 = 0.022, 1.05
"""Flux in the core of wire: its share of the mass, and its density."""
DENSITY = {True: 8.4, False: 7.4}
"""Of the metal, g/cm³: leaded, lead-free."""
WIRES_MM = (0.3, 0.5, 0.7, 1.0)
FEW_MM, MANY_MM = 3.0, 14.0
"""Wire is fed to a joint by a length that a hand can dose."""


class Dose(Struct, frozen=True):
    """Solder of all joints of a part (mm³), wire by its diameter and the length (mm) the largest joint takes."""

    volume_mm3: float
    wire_mm: float
    length_mm: float


def lead_joint_mm3(
    land_mm: float, hole_mm: float, lead_mm: float, board_mm: float, fillet_mm: float, barrel: bool = True
) -> float:
    """Volume (mm³) of a joint with a lead by diameters of land, hole and lead, thickness of the board and height of its
    two fillets; without a `barrel` it is one fillet alone. Raises ValueError unless lead ≤ hole ≤ land.

    >>> round(lead_joint_mm3(1.8, 1.0, 0.7, 1.6, 0.55), 2)
    1.65
    >>> round(lead_joint_mm3(1.8, 1.0, 0.7, 1.6, 0.55, barrel=False), 2)
    0.51
    """
    if not 0 < lead_mm <= hole_mm <= land_mm:
        raise ValueError(f"a lead of {lead_mm:g} mm in a hole of {hole_mm:g} mm in a land of {land_mm:g} mm")
    r_p, r_h, r_l = land_mm / 2, hole_mm / 2, lead_mm / 2
    fillet = math.pi * fillet_mm / 3 * (r_p**2 + r_p * r_l + r_l**2 - 3 * r_l**2)
    return 2 * fillet + math.pi * (r_h**2 - r_l**2) * board_mm if barrel else fillet


def joint_mm3(part: Part, pad: Pad, board_mm: float) -> float:
    """Volume (mm³) of the joint at a pad."""
    area = float(pad.polygon.area)
    if pad.drill > 0:
        land = max(2 * math.sqrt(area / math.pi), pad.drill)
        lead = max(0.3, pad.drill - PLAY_MM)
        lead = min(lead, pad.drill)
        return lead_joint_mm3(land, pad.drill, lead, board_mm, (land - lead) / 2, pad.barrel)
    x0, y0, x1, y1 = pad.polygon.bounds
    wide, high = min(x1 - x0, y1 - y0), min(part.package.height, 0.5)
    return float(area * COVER_MM + wide * high * high / 2)  # a wedge of half a square up the body's end


def wire_length_mm(volume_mm3: float, wire_mm: float, leaded: bool = True) -> float:
    """Length of cored wire (mm) that brings a volume of metal (mm³).

    >>> round(wire_length_mm(1.65, 0.7), 1)
    5.1
    """
    metal = (1 - FLUX_MASS) / DENSITY[leaded]
    share = metal / (metal + FLUX_MASS / FLUX_G_CM3)
    return volume_mm3 / (share * math.pi * wire_mm**2 / 4)


def dose(part: Part, board_mm: float, leaded: bool) -> Dose:
    """Solder for a part: wire thin enough that the largest joint takes more than a touch of it, thick enough that it
    does not take a hand's width.
    """
    volumes = [joint_mm3(part, pad, board_mm) for pad in part.joints] or [0.0]
    largest = max(volumes)
    lengths = {wire: wire_length_mm(largest, wire, leaded) for wire in WIRES_MM}
    fits = [wire for wire, length in lengths.items() if FEW_MM <= length <= MANY_MM]
    wire = max(fits) if fits else WIRES_MM[0] if lengths[WIRES_MM[0]] < FEW_MM else WIRES_MM[-1]
    return Dose(sum(volumes), wire, lengths[wire])


class Heating(Struct, frozen=True):
    """A tip for a part: its width (mm), the band to set (°C) and the dwell on a joint (s)."""

    tip_mm: float
    low_c: float
    high_c: float
    dwell_s: tuple[float, float]


def heating(part: Part, much_copper: bool, leaded: bool) -> Heating:
    """The lowest band that wets at once: a wider tip for more copper before a hotter one."""
    widths = [
        min(p.polygon.bounds[2] - p.polygon.bounds[0], p.polygon.bounds[3] - p.polygon.bounds[1]) for p in part.pads
    ]
    tip = min(5.0, max(0.4, 0.8 * max(widths, default=1.0)))
    low, high = (300.0, 330.0) if leaded else (320.0, 350.0)
    if much_copper:
        return Heating(round(min(5.0, 1.4 * tip), 1), high - 10, high + 10, (3.0, 6.0))
    return Heating(round(tip, 1), low, high, (1.0, 3.0))
