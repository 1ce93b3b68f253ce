"""A machine's record with the times of a run in place of those that were thought."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec

from fusilex.bench.workshop.placer import AxisRow, Placer
from fusilex.core.machine.calibrate import Timed, calibrated, taken_over
from fusilex.core.machine.motion import stroke_time
from fusilex.core.programme.job import Job


def calibrated_record(placer: Placer, timed: Sequence[Timed], job: Job | None) -> tuple[dict[str, Any], str]:
    """The record's body with what the run told, and that in words. Raises ValueError for too few stops."""
    machine = placer.machine
    found = calibrated(machine, timed)
    travel = job.travel_z if job is not None else machine.top_z
    tall = float(job.height.mean()) if job is not None else 0.0
    strokes = {
        "pick": float(stroke_time(machine, travel, machine.pick_z)) + machine.times.feed,
        "place": float(stroke_time(machine, travel, machine.board_z + tall)),
    }
    new = taken_over(machine, found, strokes)
    row = msgspec.structs.replace(
        placer,
        x=AxisRow(round(new.x.speed, 1), round(new.x.acceleration)),
        y=AxisRow(round(new.y.speed, 1), round(new.y.acceleration)),
        times=msgspec.structs.replace(
            placer.times,
            pick=round(new.times.pick, 3),
            look=round(new.times.look, 3),
            place=round(new.times.place, 3),
            change=round(new.times.change, 2),
        ),
    )
    told = ", ".join(f"{k.replace('_', ' ')} {v:.3g} ± {found.within95[k]:.2g}" for k, v in found.numbers.items())
    left = f" Nothing of {', '.join(found.unknown).replace('_', ' ')}." if found.unknown else ""
    return msgspec.to_builtins(row), f"From {len(timed)} stops: {told}; scatter {found.rms_s:.3f} s.{left}"
