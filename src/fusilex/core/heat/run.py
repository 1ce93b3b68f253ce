"""A run of one or several ovens with the same board, stepped through time.

Conduction in the sheet goes by Crank–Nicolson, everything that flows into it by Adams–Bashforth of second order:
stable at steps of a second, and of second order in the board.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from fusilex.core.heat.board import Board
from fusilex.core.heat.matter import ROOM_C
from fusilex.core.heat.oven import PARAMETERS, PLATES, Loading, OvenModel
from fusilex.core.heat.schedule import Schedule
from fusilex.core.heat.sheet import Sheet
from fusilex.core.heat.sources.chamber import Chamber
from fusilex.core.heat.sources.jet import Stream
from fusilex.core.heat.sources.plate import Plate
from fusilex.core.heat.sources.thermostat import Thermostat

Floats = NDArray[np.float64]
Watch = Any
"""Weights of what is recorded, k × (n + m): an array, or a sparse one."""
STEP_S = 0.5
HOTTEST_C = 1500.0
ALONE = Loading()


class RunsAway(ValueError):
    """An oven whose numbers make it hotter without end."""


class Ledger(Struct, frozen=True, eq=False):
    """Energy of each of r ovens (J): taken by the elements and the air gun, lost to the room, and more in store at the
    end than at the start.
    """

    taken: Floats
    lost: Floats
    stored: Floats


class Run(Struct, frozen=True, eq=False):
    """t times (s): air (of an oven; of a plate, the plate) and sensor (t × r, °C), `watched` mixtures of cells and
    bodies (t × k × r, °C); `last` is the state of cells and bodies at the end ((n + m) × r), `frames` that of the
    first oven at `frame_s` (f × (n + m)).
    """

    time: Floats
    air: Floats
    sensor: Floats
    watched: Floats
    last: Floats
    frame_s: Floats
    frames: Floats
    ledger: Ledger


class Terms(Struct, frozen=True):
    """The room (°C), the step that is calculated with, and how often a picture of the board is kept (s, 0: never)."""

    room_c: float = ROOM_C
    step_s: float = STEP_S
    frame_every_s: float = 0.0


USUAL = Terms()


def simulate(
    sheet: Sheet,
    ovens: Sequence[OvenModel],
    schedule: Schedule | Sequence[Schedule],
    until: float,
    watch: Watch,
    terms: Terms = USUAL,
    loading: Loading = ALONE,
    stream: Stream | None = None,
    watcher: Callable[[float], bool] = lambda share: True,
) -> Run:
    """The run of each oven, all ovens or all plates, from the room's temperature or preheated, all by one schedule or
    each by its own; `watch` are k × (n + m) weights of what is recorded, cells before bodies. `watcher` is told the
    share done, and ends it where it says False. Raises `RunsAway`.
    """
    on_plate = ovens[0].kind in PLATES
    room_c, step, frame_every = terms.room_c, terms.step_s, terms.frame_every_s
    oven = {name: np.array([o[name] for o in ovens]) for name in PARAMETERS}
    board = Board(sheet, ovens, loading, room_c, step, loading.flat or on_plate)
    count = max(1, round(until / step))
    time = np.asarray(np.arange(count + 1) * step, dtype=float)
    asked, open_share = _told(schedule, time)
    start = np.full(len(ovens), room_c if loading.oven_c is None else loading.oven_c)
    steered = Thermostat(ovens, oven, start, count, step)
    around: Chamber | Plate = (
        Plate(ovens, oven, board, loading, start, room_c) if on_plate else Chamber(oven, board, loading, start, room_c)
    )
    blown = _Blown(stream, board, oven["jet"]) if stream is not None else None
    airs, sensors = np.empty((count + 1, len(ovens))), np.empty((count + 1, len(ovens)))
    watched = np.empty((count + 1, watch.shape[0], len(ovens)))
    every = max(1, round(frame_every / step)) if frame_every else 0
    frames, frame_s = [], []
    before: Floats | None = None
    for n in range(count + 1):
        state = board.state
        airs[n], sensors[n], watched[n] = around.felt(), steered.sensor, watch @ state
        if every and n % every == 0:
            frames.append(state[:, 0].copy())
            frame_s.append(time[n])
        if n == count:
            break
        if n % 64 == 0 and not watcher(n / count):
            time, airs, sensors, watched = time[: n + 1], airs[: n + 1], sensors[: n + 1], watched[: n + 1]
            break
        now = around.go(steered.power(n, asked[n]), open_share[n])
        if blown is not None:
            now = now + blown.flux(time[n])
        board.go(now if before is None else 1.5 * now - 0.5 * before)
        before = now
        steered.feel(around.felt())
        if not (np.abs(around.hottest) < HOTTEST_C).all():
            raise RunsAway("this oven runs away: its numbers do not belong together")
    taken = around.taken if blown is None else around.taken + loading.copies * blown.given
    stored = around.stored() + loading.copies * (board.heat @ (board.state - room_c))
    ledger = Ledger(taken, around.lost, np.asarray(stored))
    return Run(time, airs, sensors, watched, board.state, np.array(frame_s), np.array(frames), ledger)


def _told(schedule: Schedule | Sequence[Schedule], time: Floats) -> tuple[Floats, Floats]:
    """Settings and door over time: t × 1, or t × r where each oven has its own schedule."""
    own = [schedule] if isinstance(schedule, Schedule) else schedule
    by = {id(s): (s.set_at(time), s.door_at(time)) for s in own}  # the same one is looked up once
    settings, door = zip(*(by[id(s)] for s in own), strict=True)
    return np.stack(settings, axis=1), np.stack(door, axis=1)


class _Blown:
    """A gun's air on the board: what flows into each cell and body from above (W), and what it gave so far (J)."""

    def __init__(self, stream: Stream, board: Board, strength: Floats) -> None:
        self.stream, self.board, self.strength = stream, board, strength
        self.given = np.zeros(len(strength))
        self._phase, self._of = -1, (np.zeros(0), np.zeros(0))

    def flux(self, t: float) -> Floats:
        phase = self.stream.phase(t)
        if phase < 0:
            return np.zeros_like(self.board.state)
        if phase != self._phase:
            blown, air = self.stream.at(phase, self.board.xy)
            self._phase, self._of = phase, (self.strength * blown * self.board.shows, air)
        flux = self._of[0] * (self._of[1] - self.board.state)
        self.given += self.board.step * flux.sum(axis=0)
        return np.asarray(flux)
