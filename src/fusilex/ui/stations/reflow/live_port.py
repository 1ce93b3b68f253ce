"""What a live run is read by: the logger on record, the stand-in oven, or nothing but the eye."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

from fusilex.bench.batch import Batch
from fusilex.bench.common.scales import STAND_IN
from fusilex.bench.stations.reflow.twin import Question
from fusilex.bench.workshop.records import Records, port_of
from fusilex.core.heat.oven import DIAL, OVENS
from fusilex.core.heat.predict import Predicted
from fusilex.core.heat.probes import DOOR_OPEN, HEAT_OFF
from fusilex.core.heat.sheet import COARSE_MM
from fusilex.devices.oven_world import OvenKind, OvenWorld
from fusilex.devices.thermometer import SerialThermometer, SimulatedThermometer, Thermometer

BY_EYE = "none"


def open_port(
    batch: Batch, asked: Question, found: Predicted, panel: int, marks: Callable[[], Mapping[str, float]]
) -> Thermometer | None:
    """The logger on record, its probes on the part that melts last and on the hottest; None: by eye, as on a plate of
    which there is no stand-in. The stand-in oven does what is marked: its heat goes off, its door opens. Raises
    `NoThermometer`.
    """
    last, hot = found.joints[found.last], found.joints[found.hottest]
    names = [f"{j.part}@{j.cell + 1}" for j in (last, hot)]
    port = port_of(batch.workshop[Records], "temperature")
    if not port or port == BY_EYE:
        return None
    if port != STAND_IN:
        return SerialThermometer(port, names)
    if asked.oven.method not in OVENS:
        return None
    sheet, _, _ = asked.load(COARSE_MM)
    schedule = asked.schedule
    assert schedule is not None

    def told(t: float) -> tuple[float, float]:
        at, done = np.array([t]), marks()
        heat = 0.0 if HEAT_OFF in done else float(schedule.set_at(at)[0])
        return heat, 1.0 if DOOR_OPEN in done else float(schedule.door_at(at)[0])

    world = OvenWorld(sheet, told, OvenKind(), asked.oven.method == DIAL, seed=panel)
    there = [n for n in names if (n.partition("@")[0], int(n.partition("@")[2]) - 1) in sheet.lumps.names]
    return SimulatedThermometer(world, there or [f"cell@{len(sheet) // 2}"])
