"""A log of an oven run as the twin is fitted to it: what the oven was told, where each probe sat, the room, what eyes
saw.
"""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from fusilex.core.design.model import Design
from fusilex.core.heat.oven import Loading
from fusilex.core.heat.probes import DOOR_OPEN, HEAT_OFF, Logged, Probe, probe_place
from fusilex.core.heat.run import ALONE, Watch
from fusilex.core.heat.schedule import Schedule, switched_off
from fusilex.core.heat.sheet import Sheet
from fusilex.core.panel.layout import Panel
from fusilex.core.problems import BadInput
from fusilex.formats.lists.schedule import begins_at, schedule_in
from fusilex.formats.lists.seen import only_seen, seen_in
from fusilex.formats.lists.temperature_log import read_log

AIR = ("air", "oven")


def logged_run(
    data: bytes,
    name: str,
    sheet: Sheet,
    told: Schedule | None,
    board: tuple[Design, Panel] | None,
    joints: Watch = None,
    melting: float = 217.0,
    loading: Loading = ALONE,
) -> Logged:
    """The log in a file, with the settings that it carries, else those the oven was `told`; probes sit where their
    names say on a `board`, and nobody knows where without one. What was seen counts where `joints` are known. Raises
    `BadInput`.
    """
    begun = begins_at(data, name) if not only_seen(data, name) else 0.0
    carried = schedule_in(data, name)
    schedule = carried.shifted(-begun) if carried else told
    if schedule is None:
        raise BadInput(name, "a column set_c or dial_c, or a curve in the oven's record", "neither")
    seen = tuple((t - begun, what) for t, what in seen_in(data, name))
    schedule = _as_opened(schedule, seen)
    probes, air, first = [], [], []
    if not only_seen(data, name):
        log = read_log(data, name)
        for probe, values in log.probes_c.items():
            if probe.lower() in AIR:
                air.append(Probe(probe, log.time_s, values))
            else:
                probes.append(Probe(probe, log.time_s, values, probe_place(probe, sheet, *board) if board else None))
        first = [float(v[np.isfinite(v)][0]) for v in log.probes_c.values() if np.isfinite(v).any()]
    room = min(max(min(first, default=25.0), 10.0), 45.0)  # what the coolest shows first, where that may be a room
    return Logged(sheet, schedule, tuple(probes), tuple(air), room, loading, joints, seen, melting)


def _as_opened(schedule: Schedule, seen: tuple[tuple[float, str], ...]) -> Schedule:
    """The door was opened, and the heat went off, when somebody saw it so, not when it should have been."""
    opened = [t for t, what in seen if what == DOOR_OPEN]
    off = [t for t, what in seen if what == HEAT_OFF]
    if opened:
        share = max((share for _, share in schedule.door), default=0.0) or 1.0
        schedule = replace(schedule, door=((opened[0], share),))
    return switched_off(schedule, off[0]) if off else schedule
