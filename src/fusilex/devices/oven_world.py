"""A stand-in oven with a board in it, a model of its own kind: two banks of glowing tubes that a relay switches, air in
two zones, walls in three layers, the board in blocks of two plies. Nothing of it is the twin's.
"""

from __future__ import annotations

import math
import random
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from msgspec import Struct, field
from msgspec.structs import fields
from numpy.typing import NDArray

from fusilex.core.heat.sheet import Sheet

Floats = NDArray[np.float64]
BLOCKS = (5, 3)
STEP_S, PERIOD_S, DELAY_S = 0.05, 2.0, 1.5
_SIGMA, _GRAY = 5.67e-8, 0.85


class OvenKind(Struct, frozen=True):
    """How one oven is built: watts and mass of its tubes above and below, draught, walls, its thermostat."""

    watts: tuple[float, float] = (750.0, 650.0)
    tube_j_per_k: float = 170.0
    tube_m2: float = 0.012
    aim: tuple[float, float] = (0.17, 0.13)
    draught: float = 17.0
    mixing: float = 9.0
    wall_j_per_k: tuple[float, float, float] = (500.0, 700.0, 900.0)
    wall_w_per_k: tuple[float, float, float] = (7.0, 4.0, 2.6)
    door: float = 35.0
    gain: float = 0.055
    reset_s: float = 90.0
    sensor_s: float = 5.0
    probe_s: float = 3.5
    noise_c: float = 0.5


class OvenWorld(Struct, dict=True):
    """`settings` gives what the oven is set to (°C, 0 off) and the share its door is open, by time (s). One with a
    `dial` switches about its setting.
    """

    sheet: Sheet
    settings: Callable[[float], tuple[float, float]]
    kind: OvenKind = field(default_factory=OvenKind)
    dial: bool = False
    room_c: float = 25.0
    seed: int = 0

    def __post_init__(self) -> None:
        self._random = random.Random(self.seed)
        columns, rows = BLOCKS
        low, high = self.sheet.xy.min(axis=0), self.sheet.xy.max(axis=0) + 1e-9
        at = np.floor((self.sheet.xy - low) / (high - low) * (columns, rows)).astype(int)
        self._block = at[:, 1] * columns + at[:, 0]
        count = columns * rows
        heat = np.bincount(self._block, self.sheet.heat, count)
        self._heat = np.stack([heat, heat]) / 2
        self._area = np.stack([np.bincount(self._block, a, count) for a in (self.sheet.above, self.sheet.below)])
        self._flow = np.zeros((count, count))
        for (a, b), g in zip(self.sheet.pairs, self.sheet.conductance, strict=True):
            p, q = self._block[a], self._block[b]
            if p != q:
                self._flow[p, q] += g
                self._flow[q, p] += g
        apart = np.abs(np.subtract.outer(np.arange(count), np.arange(count)))
        size = self.sheet.grid.shape[::-1]
        self._flow /= np.where(apart == 1, max(1.0, size[0] / columns), max(1.0, size[1] / rows))
        self._through = 0.3 * self._area.mean(axis=0) / 0.0008
        self._on = np.array(
            [int(np.argmax(np.bincount(self._block, w, count))) for w in self.sheet.lumps.stands] or [0]
        )
        self.time = 0.0
        start = self.room_c
        self.tubes, self.air = np.full(2, start), np.full(2, start)
        self.walls = np.full(3, start)
        self.plies = np.full((2, count), start)
        self.bodies = np.full(len(self.sheet.lumps), start)
        self.sensor, self._sum, self._heating, self._duty = start, 0.0, False, 0.0
        self._said: list[tuple[float, float]] = []
        self._probes: dict[str, float] = {}

    def place(self, name: str) -> tuple[str, int]:
        """What a probe named like a cell (``cell 12``) or a body (``C1@1``) sits on."""
        ref, _, cell = name.partition("@")
        if ref == "cell":
            return "cell", int(self._block[int(cell)])
        return "body", self.sheet.lumps.names.index((ref, int(cell or 1) - 1))

    def true(self, name: str) -> float:
        """The temperature (°C) where a probe sits; ``air`` is the air's."""
        if name == "air":
            return float(self.air.mean())
        kind, k = self.place(name)
        return float(self.plies[:, k].mean() if kind == "cell" else self.bodies[k])

    def read(self, names: Sequence[str]) -> dict[str, float]:
        """What probes read now: lagging, with noise."""
        return {
            name: self._probes.setdefault(name, self.room_c) + self._random.gauss(0, self.kind.noise_c)
            for name in names
        }

    def advance(self, seconds: float) -> None:
        """The oven's own time goes on."""
        for _ in range(max(1, round(seconds / STEP_S))):
            self._step(STEP_S)

    def _step(self, dt: float) -> None:
        k, lumps = self.kind, self.sheet.lumps
        wanted, door = self.settings(self.time)
        self._control(wanted, dt)
        late = next((share for t, share in reversed(self._said) if t <= self.time - DELAY_S), 0.0)
        aim = np.array(k.aim)
        tube, wall, board, body = (_glow(c) for c in (self.tubes, self.walls[0], self.plies, self.bodies))
        lit = _GRAY * aim[:, None] * self._area * (tube[:, None] - board)
        dim = _GRAY * (1 - aim)[:, None] * self._area * (wall - board)
        draught = k.draught * np.array([1.05, 0.95])[:, None]
        blow = draught * self._area * (self.air[:, None] - self.plies)
        over = _GRAY * lumps.area * (aim[0] * tube[0] + (1 - aim[0]) * wall - body)
        wind = 0.9 * k.draught * lumps.area * (self.air[0] - self.bodies)
        into = 1.15 * lumps.contact * (self.plies[0, self._on] - self.bodies)
        self.bodies = self.bodies + dt * (over + wind + into) / lumps.heat
        along = (self._flow @ self.plies.T).T - self.plies * self._flow.sum(axis=1)
        cross = self._through * (self.plies[1] - self.plies[0])
        gain = lit + dim + blow + along / 2 + np.stack([cross, -cross])
        gain[0] -= np.bincount(self._on, into, self.plies.shape[1])
        warm = 1 + 0.0008 * (self.plies - 25)  # laminate takes more heat the hotter it is
        self.plies = self.plies + dt * gain / (self._heat * warm)
        hot = k.tube_m2 * (tube - wall) * 0.9
        touch = 2.4 * (self.tubes - self.air)
        self.tubes = self.tubes + dt * (np.array(k.watts) * late - hot - touch - lit.sum(axis=1)) / k.tube_j_per_k
        to_wall = k.wall_w_per_k[0] / 2 * (self.air - self.walls[0])
        leak = k.door * door / 2 * (self.air - self.room_c)
        spent = blow.sum(axis=1) + np.array([wind.sum(), 0.0])
        mixed = k.mixing * (self.air[::-1] - self.air)
        self.air = self.air + dt * (touch + mixed - to_wall - leak - spent) / 32.0
        w, flow = self.walls, k.wall_w_per_k
        layers = [to_wall.sum() + hot.sum() - dim.sum(), flow[1] * (w[0] - w[1]), flow[2] * (w[1] - w[2])]
        out = 1.6 * (w[2] - self.room_c)
        self.walls = w + dt * -np.diff([*layers, out]) / np.array(k.wall_j_per_k)
        self.sensor += dt / k.sensor_s * (0.7 * self.air[0] + 0.3 * self.walls[0] - self.sensor)
        for name in self._probes:
            self._probes[name] += dt / k.probe_s * (self.true(name) - self._probes[name])
        self.time += dt

    def _control(self, wanted: float, dt: float) -> None:
        """A relay that is on for a share of two seconds; by a dial, until its setting is passed by three degrees."""
        error = wanted - self.sensor
        if wanted <= 0:
            self._heating, self._sum, share = False, 0.0, 0.0
        elif self.dial:
            self._heating = error > -3 if self._heating else error > 3
            share = float(self._heating)
        else:
            asked = self.kind.gain * error + self._sum
            if 0 < asked < 1:
                self._sum += self.kind.gain * error * dt / self.kind.reset_s
            if self.time % PERIOD_S < dt:
                self._duty = min(1.0, max(0.0, asked))
            share = float(self.time % PERIOD_S < self._duty * PERIOD_S)
        self._said.append((self.time, share))
        if len(self._said) > 200:
            del self._said[:100]


def _glow(celsius: Floats) -> Floats:
    return np.asarray(_SIGMA * (celsius + 273.15) ** 4)


def logged(
    world: OvenWorld, names: Sequence[str], until: float, every: float = 1.0
) -> tuple[Floats, dict[str, Floats]]:
    """A whole run at once: times (s) and what each probe read."""
    world.read(names)
    times, rows = [], []
    while world.time < until:
        world.advance(every)
        times.append(world.time)
        rows.append([world.read(names)[name] for name in names])
    table = np.array(rows)
    return np.array(times), {name: table[:, k] for k, name in enumerate(names)}


def jittered(seed: int) -> OvenKind:
    """An oven like the usual one, as two of a kind are: each number off by up to a quarter; probes noisy by 1 °C."""
    pick = random.Random(seed)

    def some(value: Any) -> Any:
        if isinstance(value, tuple):
            return tuple(some(one) for one in value)
        return value * math.exp(pick.uniform(-0.22, 0.22))

    usual = {f.name: getattr(OvenKind(), f.name) for f in fields(OvenKind)}
    return OvenKind(**{**{name: some(value) for name, value in usual.items()}, "noise_c": 1.0})
