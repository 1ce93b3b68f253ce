"""A run of one or several ovens with the same board, stepped through time.

Conduction in the sheet goes by Crank–Nicolson, everything that flows into it by Adams–Bashforth of second order, the
air, which has next to no inertia, implicitly: stable at steps of a second, and of second order in the board.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fusilex.core.heat.matter import EMISSIVITY, KELVIN, ROOM_C, SIGMA
from fusilex.core.heat.oven import CONTROLLED, PARAMETERS, OvenModel
from fusilex.core.heat.schedule import Schedule
from fusilex.core.heat.sheet import Sheet

Floats = NDArray[np.float64]
Watch = Any
"""Weights of what is recorded, k × (n + m): an array, or a sparse one."""
STEP_S = 0.5
HOTTEST_C = 1500.0


class RunsAway(ValueError):
    """An oven whose numbers make it hotter without end."""


@dataclass(frozen=True, eq=False)
class Ledger:
    """Energy of each of r ovens (J): taken by the elements, lost to the room, and more in store at the end than at the
    start.
    """

    taken: Floats
    lost: Floats
    stored: Floats


@dataclass(frozen=True, eq=False)
class Run:
    """t times (s): air and sensor (t × r, °C), `watched` mixtures of cells and bodies (t × k × r, °C); `last` is the
    state of cells and bodies at the end ((n + m) × r), `frames` that of the first oven at `frame_s` (f × (n + m)).
    """

    time: Floats
    air: Floats
    sensor: Floats
    watched: Floats
    last: Floats
    frame_s: Floats
    frames: Floats
    ledger: Ledger


def simulate(
    sheet: Sheet,
    ovens: Sequence[OvenModel],
    schedule: Schedule,
    until: float,
    watch: Watch,
    room_c: float = ROOM_C,
    step: float = STEP_S,
    frame_every: float = 0.0,
    oven_c: float | None = None,
    watcher: Callable[[float], bool] = lambda share: True,
) -> Run:
    """The run of each oven from the room's temperature, or with the oven preheated to `oven_c`; `watch` are k × (n + m)
    weights of what is recorded, cells before bodies. `watcher` is told the share done, and ends it where it says False.
    Raises `RunsAway`.
    """
    oven = {name: np.array([o[name] for o in ovens]) for name in PARAMETERS}
    integral = np.array([1 / o.integral_s if o.kind == CONTROLLED else 0.0 for o in ovens])
    board = _Board(sheet, len(ovens), oven["contact"], room_c, step)
    count = max(1, round(until / step))
    time = np.asarray(np.arange(count + 1) * step, dtype=float)
    asked, open_share = schedule.set_at(time), schedule.door_at(time)
    heater = np.full(len(ovens), room_c if oven_c is None else oven_c)
    air, wall, sensor, kept = heater.copy(), heater.copy(), heater.copy(), np.zeros(len(ovens))
    told = np.zeros((count + 2, len(ovens)))
    back = oven["dead_s"] / step
    airs, sensors = np.empty((count + 1, len(ovens))), np.empty((count + 1, len(ovens)))
    watched = np.empty((count + 1, watch.shape[0], len(ovens)))
    every = max(1, round(frame_every / step)) if frame_every else 0
    frames, frame_s = [], []
    taken, lost = np.zeros(len(ovens)), np.zeros(len(ovens))
    before: tuple[Floats, Floats, Floats] | None = None
    for n in range(count + 1):
        state = board.state
        airs[n], sensors[n], watched[n] = air, sensor, watch @ state
        if every and n % every == 0:
            frames.append(state[:, 0].copy())
            frame_s.append(time[n])
        if n == count:
            break
        if n % 64 == 0 and not watcher(n / count):
            time, airs, sensors, watched = time[: n + 1], airs[: n + 1], sensors[: n + 1], watched[: n + 1]
            break
        error = asked[n] - sensor
        wish = error / oven["band_c"] + kept
        told[n] = np.clip(wish, 0.0, 1.0) if asked[n] > 0 else 0.0
        kept = np.clip(kept + np.where((wish > 0) & (wish < 1), error / oven["band_c"] * integral * step, 0.0), 0, 1)
        power = oven["power_w"] * _past(told, n, back)
        door = oven["door_w_per_k"] * open_share[n]
        air_new, to_heater, to_wall, flux = _exchange(board, oven, heater, air, wall, door, room_c, step)
        heat_in = power + to_heater
        wall_in = to_wall - oven["loss_w_per_k"] * (wall - room_c)
        now = (heat_in, wall_in, flux)
        old = now if before is None else before
        heater = heater + step * (1.5 * now[0] - 0.5 * old[0]) / oven["heater_j_per_k"]
        taken += step * power
        lost += step * (oven["loss_w_per_k"] * (wall - room_c) + door * (air_new - room_c))
        wall = wall + step * (1.5 * now[1] - 0.5 * old[1]) / oven["wall_j_per_k"]
        board.go(1.5 * now[2] - 0.5 * old[2])
        sensor = sensor + (air_new - sensor) * -np.expm1(-step / oven["sensor_s"])
        air, before = air_new, now
        if not (np.abs(heater) < HOTTEST_C).all():
            raise RunsAway("this oven runs away: its numbers do not belong together")
    begun = room_c if oven_c is None else oven_c
    stored = (
        oven["heater_j_per_k"] * (heater - begun)
        + oven["air_j_per_k"] * (air - begun)
        + oven["wall_j_per_k"] * (wall - begun)
        + board.heat @ (board.state - room_c)
    )
    ledger = Ledger(taken, lost, np.asarray(stored))
    return Run(time, airs, sensors, watched, board.state, np.array(frame_s), np.array(frames), ledger)


def _past(told: Floats, n: int, back: Floats) -> Floats:
    """What each oven was told so many steps ago, straight between steps."""
    whole = np.floor(back).astype(int)
    rest = back - whole
    own = np.arange(told.shape[1])
    late, early = n - whole, n - whole - 1
    a = np.where(late >= 0, told[np.maximum(late, 0), own], 0.0)
    b = np.where(early >= 0, told[np.maximum(early, 0), own], 0.0)
    return np.asarray(a * (1 - rest) + b * rest)


class _Board:
    """Cells and bodies of r ovens: their temperatures (n + m) × r, and how heat spreads in a step."""

    def __init__(self, sheet: Sheet, ovens: int, contact: Floats, start_c: float, step: float) -> None:
        from scipy import sparse
        from scipy.sparse.linalg import splu

        lumps, n = sheet.lumps, len(sheet)
        self.heat = np.concatenate([sheet.heat, lumps.heat])
        self.area = np.concatenate([sheet.above + sheet.below, lumps.area])
        self.state = np.full((len(self.heat), ovens), float(start_c))
        self.step, self.n = step, n
        self.stands = sparse.csr_array(lumps.stands)
        self.back = sparse.csr_array(lumps.stands.T.copy())
        free = lumps.contact[:, None] * contact[None]
        yields = 1 / np.maximum(lumps.heat, 1e-12) + (lumps.stands**2 / sheet.heat).sum(axis=1)
        self.contact = free / (1 + free * step * yields[:, None])  # stable however good it is
        a, b = sheet.pairs.T if len(sheet.pairs) else (np.empty(0, int), np.empty(0, int))
        g = sheet.conductance
        around = np.concatenate([-g, -g])
        off = sparse.coo_array((around, (np.concatenate([a, b]), np.concatenate([b, a]))), shape=(n, n)).tocsr()
        diagonal = np.bincount(a, g, n) + np.bincount(b, g, n)
        flow = off + sparse.diags_array(diagonal)
        rest = sparse.diags_array(sheet.heat / step)
        self.forward = (rest - flow / 2).tocsr()
        self.solve = splu((rest + flow / 2).tocsc(), permc_spec="MMD_AT_PLUS_A").solve

    def go(self, flux: Floats) -> None:
        """A step with a flux (W) into every cell and body."""
        n = self.n
        self.state = np.concatenate(
            [
                self.solve(self.forward @ self.state[:n] + flux[:n]),
                self.state[n:] + self.step * flux[n:] / self.heat[n:, None],
            ]
        )

    def between(self) -> Floats:
        """Flux (W) between bodies and what they stand on."""
        if self.n == len(self.state):
            return np.zeros_like(self.state)
        into = self.contact * (self.stands @ self.state[: self.n] - self.state[self.n :])
        return np.concatenate([-(self.back @ into), into])


def _exchange(
    board: _Board,
    oven: dict[str, Floats],
    heater: Floats,
    air: Floats,
    wall: Floats,
    door: Floats,
    room_c: float,
    step: float,
) -> tuple[Floats, Floats, Floats, Floats]:
    """The air after a step (°C), and the heat (W) that goes into heater, wall, and each cell and body."""
    blow = oven["convection_w_per_m2k"]
    warm = board.area @ board.state
    whole = board.area.sum()
    store = oven["air_j_per_k"] / step
    given = (
        store * air
        + oven["heater_air_w_per_k"] * heater
        + oven["wall_air_w_per_k"] * wall
        + blow * warm
        + door * room_c
    )
    air = given / (store + oven["heater_air_w_per_k"] + oven["wall_air_w_per_k"] + blow * whole + door)
    shine, glow, dim = _fourth(board.state), _fourth(heater), _fourth(wall)
    view, gray = oven["view"], EMISSIVITY * SIGMA
    bright = board.area @ shine
    from_heater = gray * view * (whole * glow - bright)
    from_wall = gray * (1 - view) * (whole * dim - bright)
    between = gray * oven["glow_m2"] * (glow - dim)
    seen = view * glow + (1 - view) * dim
    flux = board.area[:, None] * (blow * (air - board.state) + gray * (seen - shine)) + board.between()
    to_heater = -oven["heater_air_w_per_k"] * (heater - air) - between - from_heater
    to_wall = oven["wall_air_w_per_k"] * (air - wall) + between - from_wall
    return air, to_heater, to_wall, flux


def _fourth(celsius: Floats) -> Floats:
    """The fourth power of what it is in kelvin."""
    square = (celsius + KELVIN) ** 2
    return square * square
