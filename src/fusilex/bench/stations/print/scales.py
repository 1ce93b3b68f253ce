"""The scale and the sensor of the room at the ports the workshop names; stand-ins only where somebody asks for them."""

from __future__ import annotations

import os

from fusilex.bench.batch import Batch
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.print.foil_events import Run
from fusilex.bench.stations.print.jars import per_panel_mg
from fusilex.devices.air_sensor import NoAir, SerialAir, SimulatedAir, read_air
from fusilex.devices.scale import NoReading, Scale, SerialScale, SimulatedScale, settled

PORT = "FUSILEX_SCALE"
STAND_IN = "stand-in"
BARE_G_PER_MM2 = 0.0030
"""A bare panel of 1.6 mm weighs about so much."""


def weigh(batch: Batch, panel: int, port: str = "") -> float | None:
    """What the scale shows (g), None where none is attached. Raises `Refused` when it does not answer."""
    port = os.environ.get(PORT, "") or port
    if not port:
        return None
    try:
        scale: Scale = SerialScale(port) if port != STAND_IN else _stand_in(batch, panel)
        return settled(scale).grams
    except NoReading as error:
        raise Refused(f"{str(error).rstrip('.')}.") from error


def _stand_in(batch: Batch, panel: int) -> Scale:
    """A milligram scale that carries the panel, and once it is printed the paste that is predicted."""
    key = batch.step.id, panel
    bare = batch.panel.width * batch.panel.height * BARE_G_PER_MM2 + 0.05 * (panel % 3)
    paste = per_panel_mg(batch) / 1000 if "stroke" in batch.state[Run].stages.get(key, ()) else 0.0
    return SimulatedScale(lambda: bare + paste, 0.001, seed=panel)


def read_room(port: str) -> tuple[float, float] | None:
    """What the sensor of the room says (°C, %), None where none is attached. Raises `Refused`."""
    if not port:
        return None
    try:
        return read_air(SimulatedAir() if port == STAND_IN else SerialAir(port))
    except NoAir as error:
        raise Refused(f"{error}.") from error
