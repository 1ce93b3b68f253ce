"""Paste: density, transfer, mass, powder."""

from __future__ import annotations

import numpy as np
from msgspec import Struct
from numpy.typing import ArrayLike, NDArray

from fusilex.core.evidence import Level, every, seen
from fusilex.core.judgement import Judgement
from fusilex.core.printing.apertures import ROUND, Apertures, roundness
from fusilex.core.printing.jig import BEAD_MM
from fusilex.core.quantities import Quantity, amount
from fusilex.core.wording import say

FLUX_DENSITY = 1.0  # g/cm³
TRANSFER_MIDDLE, TRANSFER_STEEPNESS = 0.50, 12.0


class Paste(Struct, frozen=True):
    """A paste: alloy, density of its metal (g/cm³) and mass fraction of metal."""

    name: str
    alloy: str
    metal_density: float
    metal_load: float

    @property
    def density(self) -> float:
        """g/cm³ of the paste: 1/ρ = w/ρ_metal + (1 − w)/ρ_flux."""
        return 1.0 / (self.metal_load / self.metal_density + (1 - self.metal_load) / FLUX_DENSITY)

    @property
    def solder_fraction(self) -> float:
        """Volume of solder left after melting, as a fraction of the paste's: w·ρ/ρ_metal."""
        return self.metal_load * self.density / self.metal_density


PASTES = {
    "lead-free": Paste("lead-free", "SAC305", 7.40, 0.885),
    "leaded": Paste("leaded", "Sn63Pb37", 8.40, 0.90),
    "bismuth": Paste("bismuth", "Sn42Bi58", 8.56, 0.90),
}


def transfer(
    area_ratio: ArrayLike, middle: float = TRANSFER_MIDDLE, steepness: float = TRANSFER_STEEPNESS
) -> NDArray[np.float64]:
    """Expected share of the aperture's volume that stays on the pad: 1 / (1 + e^(−k(AR − m))).

    >>> float(transfer(0.66).round(2)), float(transfer(0.80).round(2))
    (0.87, 0.97)
    """
    return np.asarray(1.0 / (1.0 + np.exp(-steepness * (np.asarray(area_ratio, dtype=float) - middle))))


def paste_mass_mg(apertures: Apertures, foil: float, paste: Paste) -> float:
    """Expected paste on one board side, mg: Σ A·t·TE(AR)·ρ. `foil` in mm (mm³ × g/cm³ = mg)."""
    return float(np.sum(apertures.area * foil * transfer(apertures.area_ratio(foil))) * paste.density)


# J-STD-005: type, largest size of the bulk of the balls in µm
POWDER_TYPES = ((3, 45.0), (4, 38.0), (5, 25.0), (6, 15.0))
BALLS_ACROSS_RECTANGLE, BALLS_ACROSS_ROUND = 5, 8


def coarsest_powder(apertures: Apertures) -> int | None:
    """Coarsest (lowest) powder type whose balls fit every aperture: five across a rectangle, eight across a round one.

    None when not even type 6 fits; 3 when there are no apertures.
    """
    if not len(apertures):
        return 3
    disc = roundness(apertures.area, apertures.perimeter) > ROUND
    balls = np.where(disc, BALLS_ACROSS_ROUND, BALLS_ACROSS_RECTANGLE)
    room_um = float(np.min(apertures.width * 1000.0 / balls))
    return next((number for number, size in POWDER_TYPES if size <= room_um * (1 + 1e-6)), None)


def judge_paste(apertures: Apertures, foil: float, paste: Paste, boards: int) -> list[Judgement]:
    """Paste for the batch and the powder that fits."""
    per_board = paste_mass_mg(apertures, foil, paste)
    total = per_board * boards
    paste_needed = amount(total / 1000, "g") if total >= 100 else amount(total, "mg")
    powder = coarsest_powder(apertures)
    narrowest = float(apertures.width.min()) if len(apertures) else 0.0
    covered = (every("apertures", len(apertures)),)
    found = [
        Judgement(
            "print.mass",
            seen(*covered),
            "paste",
            say("needed", paste=paste_needed, boards=boards),
            (
                Quantity("per board", per_board, "mg"),
                Quantity("paste density", paste.density, "g/cm³"),
                Quantity("foil", foil, "mm"),
                Quantity("solder left of its volume", 100 * paste.solder_fraction, "%"),
            ),
            say("and a bead", low=amount(BEAD_MM[0], "mm"), high=amount(BEAD_MM[1], "mm")),
            missing=() if len(apertures) else ("a paste layer of this side",),
            coverage=covered,
        )
    ]
    if powder is None:
        found.append(
            Judgement(
                "print.powder",
                Level.STOP,
                "powder",
                say("none fits"),
                (Quantity("narrowest aperture", narrowest, "mm"),),
                say("widen"),
            )
        )
    else:
        found.append(
            Judgement(
                "print.powder",
                seen(*covered),
                "powder",
                say("fits", powder=powder),
                (
                    Quantity("narrowest aperture", narrowest, "mm"),
                    Quantity("largest ball", dict(POWDER_TYPES)[powder], "µm"),
                ),
                say("type numbers"),
                coverage=covered,
            )
        )
    return found
