"""From placements on a clamped panel to a job for the optimiser."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from msgspec import Struct

from fusilex.core.machine.model import Machine, Nozzle
from fusilex.core.machine.motion import short_turn
from fusilex.core.machine.tapes import tape_of
from fusilex.core.packages.catalogue import Package
from fusilex.core.programme.job import Job
from fusilex.core.programme.levels import bands, levels, strikes, travel_height
from fusilex.core.programme.who import holds, slots_for

MARGIN_MM = 1.0
"""What is carried keeps this much above what it passes over."""


class Piece(Struct, frozen=True):
    """One placement: its name, cell (from 1) and line, where its middle goes (mm, bed), its body, how the body lies
    there (degrees) and how it lies in its tape (degrees, slot unturned).
    """

    ref: str
    cell: int
    line: str
    x: float
    y: float
    angle: float
    package: Package
    in_tape: float = 0.0


def job_of(
    machine: Machine,
    pieces: Sequence[Piece],
    standing: Mapping[str, str] | None = None,
    runs: int = 1,
    there: Sequence[Piece] = (),
    over: float = 0.0,
) -> Job:
    """The job of placing pieces in one run of several alike. `standing` names the slot each line stands in already:
    another costs loading it, spread over the runs; `there` are pieces that are on the panel before it, `over` the
    height (mm) of others that may be. Raises ValueError for a piece that no nozzle holds, no slot takes, that lies
    outside the bed, that cannot be carried over what stands, or cannot be put down beside it.
    """
    names = tuple(sorted({p.line for p in pieces}))
    body = {p.line: p.package for p in pieces}
    index = {name: k for k, name in enumerate(names)}
    fits = np.array([[holds(n, body[name]) for n in machine.nozzles] for name in names]).reshape(
        -1, len(machine.nozzles)
    )
    can = np.zeros((len(names), len(machine.slots)), dtype=bool)
    for name, k in index.items():
        can[k, slots_for(machine, tape_of(body[name]))] = True
        if not fits[k].any():
            raise ValueError(f"no nozzle holds {name}")
        if not can[k].any():
            raise ValueError(f"no slot takes {name}")
    line = np.array([index[p.line] for p in pieces], dtype=int)
    xy = np.array([[p.x, p.y] for p in pieces]).reshape(-1, 2)
    out = np.flatnonzero((xy < 0).any(axis=1) | (xy > (machine.width, machine.depth)).any(axis=1))
    if len(out):
        p = pieces[out[0]]
        raise ValueError(f"{p.ref} in cell {p.cell} goes to {p.x:.1f}, {p.y:.1f}, outside the bed")
    height = np.array([p.package.height for p in pieces])
    stoutest = {
        name: max((n for n in machine.nozzles if holds(n, body[name])), key=lambda n: n.profile[-1][1])
        for name in names
    }
    pairs = strikes(xy, _boxes(pieces), height, [stoutest[p.line] for p in pieces], machine.clearance)
    level = levels(bands(height, machine.height_step), pairs, height)
    _beside(machine, pieces, xy, height, [stoutest[p.line] for p in pieces], there)
    travel = _travel(machine, level, height, max(over, *(p.package.height for p in there), 0.0))
    if travel > machine.top_z + 1e-9:
        raise ValueError(
            f"carrying parts over parts takes {travel:.1f} mm, and the machine travels at {machine.top_z:g}"
        )
    moving = np.zeros((len(names), len(machine.slots)))
    if standing:
        moving[:] = machine.times.load / max(1, runs)
        at = {slot.name: s for s, slot in enumerate(machine.slots)}
        for name, slot in standing.items():
            if name in index and slot in at:
                moving[index[name], at[slot]] = 0.0
    turn = short_turn([p.angle - p.in_tape for p in pieces])
    labels = tuple((p.ref, p.cell) for p in pieces)
    return Job(machine, names, fits, can, line, xy, turn, height, level, labels, travel, moving)


def _travel(machine: Machine, level: np.ndarray, height: np.ndarray, stands: float) -> float:
    """The height to travel at (mm): over the board with all that is on it, over pockets, and over what stands on the
    bed, for which it is the greatest where nobody measured that.
    """
    over = travel_height(level, height, machine.board_z, MARGIN_MM, stands)
    bed = max(machine.pick_z, machine.stands or 0.0)
    least = max(over, bed + float(height.max()) + MARGIN_MM)
    return least if machine.stands is not None else max(least, machine.top_z)


def _beside(
    machine: Machine,
    pieces: Sequence[Piece],
    xy: np.ndarray,
    height: np.ndarray,
    nozzle: Sequence[Nozzle],
    there: Sequence[Piece],
) -> None:
    """Refuse a piece whose nozzle would strike a taller one that is on the panel already."""
    if not there:
        return
    for piece in there:
        if not piece.package.known:
            raise ValueError(f"{piece.ref} stands in cell {piece.cell} and its height is not known: name its body")
    n, tall = len(pieces), np.array([p.package.height for p in there])
    where = np.array([[p.x, p.y] for p in there])
    all_of = strikes(
        np.vstack([xy, where]),
        _boxes([*pieces, *there]),
        np.concatenate([height, tall]),
        [*nozzle, *(nozzle[0] for _ in there)],
        machine.clearance,
    )
    for i, j in all_of:
        if i < n <= j:
            low, high = pieces[i], there[j - n]
            raise ValueError(
                f"the nozzle would strike {high.ref}, which stands beside {low.ref} in cell {low.cell} and is taller:"
                f" place {low.ref} by hand"
            )


def _boxes(pieces: Sequence[Piece]) -> np.ndarray:
    """Bodies as they lie (n × 4, mm): the box around a body at its angle."""
    size = np.array([[p.package.size_x, p.package.size_y] for p in pieces]) / 2
    angle = np.radians([p.angle for p in pieces])
    cos, sin = np.abs(np.cos(angle)), np.abs(np.sin(angle))
    half = np.column_stack([size[:, 0] * cos + size[:, 1] * sin, size[:, 0] * sin + size[:, 1] * cos])
    xy = np.array([[p.x, p.y] for p in pieces])
    return np.column_stack([xy - half, xy + half])
