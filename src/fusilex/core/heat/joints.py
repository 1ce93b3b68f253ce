"""Joints in a run: when each melts, how long it stays molten, how hot it gets."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from fusilex.core.design.model import Design, Part
from fusilex.core.heat.run import Watch
from fusilex.core.heat.sheet import Sheet, between_cells
from fusilex.core.panel.layout import Panel

Floats = NDArray[np.float64]
BODY_SHARE = 0.5
"""Of a joint under a body that is a lump of its own: solder lies between the board and the body's lead."""


class Joint(Struct, frozen=True):
    """A pad of a part on the board of a cell (from 0)."""

    part: str
    pad: str
    cell: int


def joints_of(
    design: Design, panel: Panel, parts: Sequence[Part], sheet: Sheet, cells: Iterable[int] | None = None
) -> tuple[list[Joint], Watch]:
    """Joints of parts on each board, and the weights of cells and bodies in each (k × (n + m))."""
    from scipy import sparse

    corner = np.asarray(design.outline.bounds[:2])
    body = {name: len(sheet) + k for k, name in enumerate(sheet.lumps.names)}
    joints, where, share = [], [], []
    for cell in panel.cells if cells is None else cells:
        for part in parts:
            for pad in part.pads:
                if part.through_hole and pad.drill > 0:
                    continue
                joints.append(Joint(part.ref, pad.pin, cell))
                middle = pad.polygon.centroid
                where.append(panel.on_cell(cell, np.array([middle.x, middle.y]) - corner)[0])
                share.append(body.get((part.ref, cell), -1))
    count = len(sheet) + len(sheet.lumps)
    if not joints:
        return [], sparse.csr_array((0, count))
    rows = np.arange(len(joints))
    lump = np.array(share)
    heavy = lump >= 0
    cells, shares = between_cells(sheet, np.array(where))
    of_board = shares * np.where(heavy, 1 - BODY_SHARE, 1.0)[:, None]
    weights = np.concatenate([of_board.ravel(), np.full(int(heavy.sum()), BODY_SHARE)])
    at = np.concatenate([cells.ravel(), lump[heavy]])
    from_row = np.concatenate([np.repeat(rows, cells.shape[1]), rows[heavy]])
    return joints, sparse.csr_array((weights, (from_row, at)), shape=(len(joints), count))


class Molten(Struct, frozen=True, eq=False):
    """By joint (k, or k × r): when it melts and is solid again (s, NaN where never), and its peak (°C)."""

    melts: Floats
    solid: Floats
    peak: Floats

    @property
    def seconds(self) -> Floats:
        """How long it stays molten; 0 where it never melts, to the record's end where it is not solid by then."""
        return np.where(np.isnan(self.melts), 0.0, self.solid - self.melts)


def molten(time: Floats, temperature: Floats, melting: float) -> Molten:
    """First melting and last freezing of joints by their curves (t × k …), straight between samples.

    >>> found = molten(np.array([0.0, 10.0, 20.0, 30.0]), np.array([[100.0], [200.0], [200.0], [100.0]]), 150.0)
    >>> found.melts.tolist(), found.seconds.tolist()
    ([5.0], [20.0])
    """
    hot = temperature >= melting
    ever = hot.any(axis=0)
    first = hot.argmax(axis=0)
    last = len(time) - 1 - hot[::-1].argmax(axis=0)
    melts = _crossing(time, temperature, np.maximum(first - 1, 0), melting)
    solid = _crossing(time, temperature, np.minimum(last, len(time) - 2), melting)
    melts = np.where(first == 0, time[0], melts)
    solid = np.where(last == len(time) - 1, time[-1], solid)
    nothing = np.nan
    return Molten(np.where(ever, melts, nothing), np.where(ever, solid, nothing), temperature.max(axis=0))


def _crossing(time: Floats, temperature: Floats, i: NDArray[np.int_], level: float) -> Floats:
    """Where each curve passes a level between sample i and the next (s)."""
    a = np.take_along_axis(temperature, i[None], 0)[0]
    b = np.take_along_axis(temperature, i[None] + 1, 0)[0]
    rise = np.where(np.abs(b - a) > 1e-12, b - a, 1.0)
    return np.asarray(time[i] + (time[i + 1] - time[i]) * np.clip((level - a) / rise, 0, 1))
