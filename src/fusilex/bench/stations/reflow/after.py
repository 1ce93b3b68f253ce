"""What a run left in its joints: the twin held to the log, part by part, and whether the oven is what it was."""

from __future__ import annotations

import math
from typing import Any

from msgspec import Struct
from msgspec.structs import astuple, replace

from fusilex.bench.batch import Batch
from fusilex.bench.boards import panels_of
from fusilex.bench.common.heat.oven_logs import logged_run
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.reflow.loading import loaded_with
from fusilex.bench.stations.reflow.twin import Question, question
from fusilex.core.heat.after import after_run, groups, worst_of
from fusilex.core.heat.group import Group
from fusilex.core.heat.sheet import COARSE_MM
from fusilex.core.problems import BadInput


class Told(Struct, frozen=True):
    """Rows of what joints had, worst first; how far the log is from what was predicted (°C, RMS), and whether the oven
    changed.
    """

    joints: tuple[Group, ...] = ()
    off_c: float | None = None
    changed: bool = False

    @property
    def rows(self) -> list[list[Any]]:
        """As an event keeps them."""
        return [[_plain(v) for v in astuple(group)] for group in self.joints]


def _plain(value: Any) -> Any:
    if not isinstance(value, float):
        return value
    return None if math.isnan(value) else round(value, 3)


NOTHING = Told()


def told_by(batch: Batch, log: bytes, name: str) -> Told:
    """What a log tells of all joints; nothing where no oven, no settings or no probe on the board is known."""
    try:
        return joints_after(question(batch, panels_of(loaded_with(batch, batch.board))), log, name)
    except (Refused, BadInput, ValueError):  # RunsAway is one of them
        return NOTHING


def joints_after(asked: Question, log: bytes, name: str) -> Told:
    """What a log of this load tells, part by part the worst of its panels; the probes are on the first. Raises
    ValueError, or `BadInput`, for one that says nothing.
    """
    sheet, joints, watch = asked.load(COARSE_MM)
    board = asked.design, asked.panel
    run = logged_run(log, name, sheet, asked.schedule, board, loading=asked.loading)
    fine, _, beside = asked.load_fine
    both, sharp = (joints, watch), (fine, beside)
    each = [after_run(run, both, asked.oven.fitted, asked.window.melting, sharp, at) for at in (None, *asked.beside)]
    found, rows = each[0], worst_of([groups(one, asked.window, asked.limits) for one in each])
    if not asked.oven.proven:  # nobody logged this oven before: its twin may doubt, it may not vouch
        rows = [g if g.verdict == "cold" else replace(g, verdict="open") for g in rows]
    off = found.off_c if math.isfinite(found.off_c) else None
    return Told(tuple(rows), off, asked.oven.proven and found.changed)


def by_eye(batch: Batch) -> Told:
    """Of a run that nobody measured: every part is open, those that melt last in front."""
    try:
        asked = question(batch)
        found = asked.predicted_likely()
    except (Refused, ValueError):
        return NOTHING
    by: dict[tuple[str, int], int] = {}
    both = zip(found.molten.melts.tolist(), found.molten.peak.tolist(), strict=True)
    late = [(-melts if melts == melts else -math.inf, peak, k) for k, (melts, peak) in enumerate(both)]
    for _, _, k in sorted(late):
        by.setdefault((found.joints[k].part, found.joints[k].cell), k)
    rows = [
        Group(
            part,
            cell,
            float(found.molten.melts[k]),
            float(found.molten.seconds[k]),
            math.nan,
            float(found.molten.peak[k]),
            math.nan,
            "open",
        )
        for (part, cell), k in by.items()
    ]
    return Told(tuple(rows))
