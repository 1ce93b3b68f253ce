"""The scale and the sensor of the room at the ports the workshop names; stand-ins only where somebody asks for them."""

from __future__ import annotations

import math
import random

from fusilex.bench.batch import Batch
from fusilex.bench.common.scales import STAND_IN, scale_at
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.print.foil_events import Run
from fusilex.bench.stations.print.jars import per_panel_mg
from fusilex.bench.stations.print.stencil import since_wipe, strokes
from fusilex.devices.air_sensor import NoAir, SerialAir, SimulatedAir, read_air
from fusilex.devices.scale import NoReading, settled

BARE_G_PER_MM2 = 0.0030
"""A bare panel of 1.6 mm weighs about so much."""
SCATTER, CLOGS = 0.015, 0.012


def weigh(port: str, carried: float, panel: int) -> float:
    """What the scale at a port shows (g); the stand-in carries what is said. Raises `Refused`."""
    try:
        return settled(scale_at(port, lambda: carried, 0.001, panel)).grams
    except NoReading as error:
        raise Refused(f"{str(error).rstrip('.')}.") from error


def carried_g(batch: Batch, panel: int) -> float:
    """What the stand-in carries (g): a bare panel, and once it is printed the paste that is predicted, scattered by
    1.5 %, and a little less with every print since the foil was wiped beneath.
    """
    bare = batch.panel.width * batch.panel.height * BARE_G_PER_MM2 + 0.05 * (panel % 3)
    if "stroke" not in batch.state[Run].stages.get((batch.step.id, panel), ()):
        return bare
    scatter = random.Random(1000 * panel + strokes(batch)).gauss(0.0, SCATTER)
    return bare + per_panel_mg(batch) / 1000 * math.exp(scatter - CLOGS * (since_wipe(batch) - 1))


def read_room(port: str) -> tuple[float, float]:
    """What the sensor of the room says (°C, %). Raises `Refused`."""
    try:
        return read_air(SimulatedAir() if port == STAND_IN else SerialAir(port))
    except NoAir as error:
        raise Refused(f"{error}.") from error
