"""The scale on the bench: at the port that the environment or the workshop names; a stand-in where somebody asks."""

from __future__ import annotations

import os
from collections.abc import Callable

from fusilex.devices.scale import Scale, SerialScale, SimulatedScale

PORT = "FUSILEX_SCALE"
"""Environment variable that names the scale's serial port, or says ``stand-in``."""
STAND_IN = "stand-in"


def named_port(port: str = "") -> str:
    """The port in use, '' where none is named."""
    return os.environ.get(PORT, "") or port


def scale_at(port: str, load_g: Callable[[], float], step_g: float = 0.01, seed: int = 5) -> Scale:
    """The scale at a port; a stand-in carries `load_g`. Raises `NoReading` for a port that cannot be opened."""
    return SimulatedScale(load_g, step_g, seed) if port == STAND_IN else SerialScale(port)
