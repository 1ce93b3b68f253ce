"""How long moves take: axes that start and end at rest, all at once."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike, NDArray

from fusilex.core.machine.model import Axis, Machine

Seconds = NDArray[np.float64]


def axis_time(distance: ArrayLike, axis: Axis) -> Seconds:
    """Seconds to go a distance from rest to rest at the acceleration a and at most the speed v of an axis:
    2√(d / a) below v² / a, d / v + v / a above (trapezoid of speed, any mechanics textbook).

    >>> axis_time([100.0, 20.0], Axis(500.0, 5000.0)).round(4).tolist()
    [0.3, 0.1265]
    """
    d = np.abs(np.asarray(distance, dtype=float))
    slow = 2 * np.sqrt(d / axis.acceleration)
    return np.asarray(
        np.where(d < axis.speed**2 / axis.acceleration, slow, d / axis.speed + axis.speed / axis.acceleration)
    )


def axis_seconds(distance: float, axis: Axis) -> float:
    """`axis_time` of one distance, without arrays: a controller asks for one move at a time.

    >>> round(axis_seconds(-100.0, Axis(500.0, 5000.0)), 6)
    0.3
    """
    d = abs(distance)
    if d * axis.acceleration < axis.speed * axis.speed:
        return 2 * math.sqrt(d / axis.acceleration)
    return d / axis.speed + axis.speed / axis.acceleration


def travel_time(machine: Machine, start: ArrayLike, end: ArrayLike) -> Seconds:
    """Seconds between beam places (… × 2, mm, broadcast against each other): the slower of x and y."""
    d = np.asarray(end, dtype=float) - np.asarray(start, dtype=float)
    return np.asarray(np.maximum(axis_time(d[..., 0], machine.x), axis_time(d[..., 1], machine.y)))


def stroke_time(machine: Machine, travel_z: ArrayLike, z: ArrayLike) -> Seconds:
    """Seconds to go down from the travelling height to z and up again (mm)."""
    return 2 * axis_time(np.asarray(travel_z, dtype=float) - np.asarray(z, dtype=float), machine.z)


def short_turn(angle_deg: ArrayLike) -> NDArray[np.float64]:
    """Angles brought into (−180, 180].

    >>> short_turn([270.0, -180.0, 540.0]).tolist()
    [-90.0, 180.0, 180.0]
    """
    return 180.0 - np.mod(180.0 - np.asarray(angle_deg, dtype=float), 360.0)
