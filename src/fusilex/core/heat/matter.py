"""What boards and parts are made of, as far as heat goes. SI units; usual values, which a sheet or a log overrules."""

from __future__ import annotations

SIGMA = 5.670374419e-8
"""Stefan–Boltzmann constant, W/m²K⁴ (CODATA 2018)."""
KELVIN = 273.15
LAMINATE_W_PER_MK, LAMINATE_J_PER_M3K = 0.3, 1900.0 * 1150.0
"""FR-4: conductivity across the glass, and density times heat capacity."""
COPPER_W_PER_MK, COPPER_J_PER_M3K = 390.0, 8960.0 * 385.0
FOIL_M = 35e-6
"""An ounce of copper a square foot."""
PART_J_PER_KGK = 900.0
BODY_W_PER_M2K = 1500.0
"""From a body to the board below it, by its footprint: leads, solder and the thin gap together. An estimate; the fit
has a factor for it.
"""
EMISSIVITY = 0.9
"""Of solder mask and of parts."""
ROOM_C = 25.0
