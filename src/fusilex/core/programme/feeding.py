"""Slots and what stands in them: pick points taught on pockets, what a tape must hold, when it runs out."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fusilex.core.machine.model import TAPE, Slot
from fusilex.core.similarity import fit_similarity

PITCH_LIMIT_MM, OFF_LIMIT_MM = 0.05, 3.0


class Sighting(Struct, frozen=True):
    """Where the middle of a pocket was seen (mm, bed), so many pockets further from the peeler than the pick point, or
    after the first of a strip or tray.
    """

    pockets: int
    x: float
    y: float


class PickPoint(Struct, frozen=True):
    """Where a slot's parts are picked (mm), which way its tape runs (degrees: from pick point to later pockets), its
    pitch as seen (mm; None from one sighting), and by how much that differs from what it should be.
    """

    x: float
    y: float
    direction: float | None
    pitch: float | None
    pitch_error: float | None


def pick_point(sightings: Sequence[Sighting], pitch: float) -> PickPoint:
    """The pick point p₀ and the pitch by p_k = p₀ + k · pitch · u, least squares over sightings of pockets (k counts
    from the pick point). Raises ValueError where the pick point cannot be told: nothing seen, or one pocket further on.

    >>> pick_point([Sighting(0, 10, 5), Sighting(10, 49.5, 5)], 4.0)
    PickPoint(x=10.0, y=5.0, direction=0.0, pitch=3.95, pitch_error=-0.05)
    """
    if not sightings:
        raise ValueError("no pocket was seen yet")
    k = np.array([s.pockets for s in sightings], dtype=float)
    at = np.array([[s.x, s.y] for s in sightings])
    if np.ptp(k) == 0:
        if k[0]:
            raise ValueError("one pocket further on does not tell the pick point: see another")
        x, y = at.mean(axis=0)
        return PickPoint(float(x), float(y), None, None, None)
    rows = np.column_stack([np.ones(len(k)), k])
    (x, y), (u, v) = np.linalg.lstsq(rows, at, rcond=None)[0]
    seen = round(math.hypot(u, v), 9)
    way = round(math.degrees(math.atan2(v, u)), 9) + 0.0
    return PickPoint(round(float(x), 9), round(float(y), 9), way, seen, round(seen - pitch, 9))


def taught_slot(slot: Slot, sightings: Sequence[Sighting], pitch: float) -> Slot:
    """A slot as its pockets were seen: a tape's pick point by `pick_point`, a strip or tray moved, and with two pockets
    turned and scaled, by least squares. As it was, where what was seen does not tell.

    >>> seen = taught_slot(Slot("1", 10, 5), [Sighting(0, 10.2, 5.1)], 4.0)
    >>> seen.x, seen.y
    (10.2, 5.1)
    """
    if slot.kind == TAPE:
        try:
            point = pick_point(sightings, pitch)
        except ValueError:
            return slot
        return replace(slot, x=point.x, y=point.y)
    if not sightings:
        return slot
    meant = np.array([slot.pocket(s.pockets) for s in sightings])
    seen = np.array([[s.x, s.y] for s in sightings])
    if np.ptp(meant, axis=0).max() == 0:
        dx, dy = (seen - meant).mean(axis=0)
        return replace(slot, x=slot.x + float(dx), y=slot.y + float(dy))
    fit = fit_similarity(meant, seen)
    first, step, row_step = fit.apply([(slot.x, slot.y), _after(slot, slot.step), _after(slot, slot.row_step)])
    return replace(
        slot, x=float(first[0]), y=float(first[1]), step=_pair(step - first), row_step=_pair(row_step - first)
    )


def _after(slot: Slot, step: tuple[float, float]) -> tuple[float, float]:
    return slot.x + step[0], slot.y + step[1]


def _pair(at: np.ndarray) -> tuple[float, float]:
    return float(at[0]), float(at[1])


def boards_fed(pieces: int, per_board: int, loss: float = 0.0) -> int:
    """Whole boards that pieces in a slot last for, with a share lost.

    >>> boards_fed(40, 4), boards_fed(40, 4, 0.05)
    (10, 9)
    """
    if per_board <= 0:
        return 0
    return math.floor(pieces / (per_board * (1 + loss)) + 1e-9)
