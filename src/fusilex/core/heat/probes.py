"""Probes in an oven: what they logged, what they sit on, and how they lag."""

from __future__ import annotations

import math

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from fusilex.core.design.model import Design
from fusilex.core.heat.matter import ROOM_C
from fusilex.core.heat.oven import Loading
from fusilex.core.heat.run import ALONE, Watch
from fusilex.core.heat.schedule import Schedule
from fusilex.core.heat.sheet import Sheet
from fusilex.core.panel.layout import Panel
from fusilex.core.placing.points import on_board

Floats = NDArray[np.float64]
FIRST_SHINE, ALL_SHINY, DOOR_OPEN, HEAT_OFF = "first shine", "all shiny", "door open", "heat off"
SAMPLE_S = 4.0
"""Samples of a log are gathered over this long: a twin does not know what a second brings."""


class Probe(Struct, frozen=True, eq=False):
    """What a probe logged: times (s) and temperatures (°C), and weights (n + m) of what it sits on; None: nobody knows,
    somewhere between the quickest and the slowest place of the board.
    """

    name: str
    time: Floats
    temperature: Floats
    weights: Floats | None = None


class Logged(Struct, frozen=True, eq=False):
    """A run as it was logged: the board in the oven, what the oven was told, and the probes; `air` probes hang free.
    Of its `joints` (k × (n + m), None: nobody knows them) the first or the last to melt was `seen` (s, what).
    """

    sheet: Sheet
    schedule: Schedule
    probes: tuple[Probe, ...]
    air: tuple[Probe, ...] = ()
    room_c: float = ROOM_C
    loading: Loading = ALONE
    joints: Watch = None
    seen: tuple[tuple[float, str], ...] = ()
    melting: float = 217.0


def thinned(probe: Probe) -> tuple[Floats, Floats]:
    """Means of a probe's good samples over stretches of a few seconds."""
    good = np.isfinite(probe.temperature) & np.isfinite(probe.time)
    t, y = probe.time[good], probe.temperature[good]
    bins = np.floor(t / SAMPLE_S).astype(int)
    _, at = np.unique(bins, return_inverse=True)
    count = np.bincount(at)
    return np.bincount(at, t) / count, np.bincount(at, y) / count


def watched_by(run: Logged) -> Floats:
    """Rows of what the probes sit on: its own, or the quickest and the slowest place where nobody knows."""
    sheet = run.sheet
    count = len(sheet) + len(sheet.lumps)
    rows: list[Floats] = []
    for probe in run.probes:
        if probe.weights is not None:
            rows.append(probe.weights)
            continue
        rows += [one_hot(quickest(sheet), count), one_hot(slowest(sheet), count)]
    return np.array(rows).reshape(-1, count)


def marks_of(run: Logged) -> tuple[tuple[float, str], ...]:
    """What was seen of joints that are known."""
    return tuple(m for m in run.seen if m[1] in (FIRST_SHINE, ALL_SHINY)) if run.joints is not None else ()


def one_hot(k: int, count: int) -> Floats:
    return np.asarray((np.arange(count) == k).astype(float))


def quickest(sheet: Sheet) -> int:
    """The cell that has least heat for what it shows: a corner, as a rule."""
    return int(np.argmin(sheet.heat / (sheet.above + sheet.below)))


def slowest(sheet: Sheet) -> int:
    """The body that lags most, or the cell with most heat for what it shows."""
    if len(sheet.lumps):
        return len(sheet) + int(np.argmax(sheet.lumps.heat / (sheet.lumps.contact + 30 * sheet.lumps.area)))
    return int(np.argmax(sheet.heat / (sheet.above + sheet.below)))


def lagged(curve: Floats, lag: Floats, step: float) -> Floats:
    """First-order lag (s, one a column) of curves in even steps (s), from where they begin."""
    from scipy.signal import lfilter

    out = np.empty_like(curve)
    for k, tau in enumerate(lag):
        a = math.exp(-step / tau)
        out[:, k] = lfilter([1 - a], [1, -a], curve[:, k], zi=[a * curve[0, k]])[0]
    return out


def sampled(time: Floats, curve: Floats, at: Floats) -> Floats:
    """Curves (t × r) at other times, straight between."""
    i = np.clip(np.searchsorted(time, at, side="right") - 1, 0, len(time) - 2)
    share = ((at - time[i]) / (time[i + 1] - time[i]))[:, None]
    return np.asarray(curve[i] * (1 - share) + curve[i + 1] * share)


def probe_place(name: str, sheet: Sheet, design: Design, panel: Panel) -> Floats | None:
    """What a probe named after a part sits on: ``U1``, or ``U1@2`` for the board in cell 2. None: nobody knows."""
    ref, _, cell = name.removeprefix("probe ").strip().partition("@")
    part = design.part_by_ref.get(ref) or design.part_by_ref.get(ref.upper())
    number = int(cell) if cell.isascii() and cell.isdecimal() and len(cell) < 6 else 1 if not cell else 0
    if part is None or number - 1 not in panel.cells:
        return None
    weights = np.zeros(len(sheet) + len(sheet.lumps))
    if (part.ref, number - 1) in sheet.lumps.names:
        weights[len(sheet) + sheet.lumps.names.index((part.ref, number - 1))] = 1.0
    else:
        weights[int(sheet.at(panel.on_cell(number - 1, on_board(design, [part])))[0])] = 1.0
    return weights
