"""The microscope's way over the board in hand: its fields, what each shows, which were seen and which come next."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import NamedTuple

import numpy as np
import shapely
from msgspec import Struct

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.built import Built
from fusilex.bench.stations.inspect.events import Looks
from fusilex.bench.workshop.record_kinds import Microscope
from fusilex.bench.workshop.records import Records
from fusilex.core.design.model import Part
from fusilex.core.design.outlines import body_polygon
from fusilex.core.inspection.tour import Floats, joints_seen, tour

MOST_AT_ONCE = 200
"""Joints of a side to which the best way is found before anybody notices."""
MOST_KEPT = 16
BEFORE = "before the oven"
"""The way of looking at which there are no joints yet: every part there, square, the right way round."""


class Field(Struct, frozen=True):
    """A field of the tour: where its middle is (mm, design), its size, and the parts and joints it shows whole."""

    side: str
    x: float
    y: float
    width: float
    height: float
    refs: tuple[str, ...]
    joints: tuple[str, ...]

    @property
    def box(self) -> tuple[float, float, float, float]:
        return self.x - self.width / 2, self.y - self.height / 2, self.x + self.width / 2, self.y + self.height / 2


class Way(NamedTuple):
    """All that the way over one side depends on."""

    board: Built
    side: str
    before: bool
    size: tuple[float, float]
    overlap: float


def fields_of(batch: Batch) -> tuple[Field, ...]:
    """All fields of the step in view, its sides one after the other."""
    return tuple(f for way in ways_of(batch) for f in (_SHORTER.get(way) or _first(way)))


def ways_of(batch: Batch) -> list[Way]:
    """The ways of the step in view, one a side."""
    scope = batch.workshop[Records].first(Microscope)
    sides = ("top", "bottom") if batch.step.side not in ("top", "bottom") else (batch.step.side,)
    size, before = (scope.field_w_mm, scope.field_h_mm), batch.step.method == BEFORE
    return [Way(batch.own, side, before, size, scope.overlap) for side in sides]


_SHORTER: dict[Way, tuple[Field, ...]] = {}
"""Ways over large boards with as few fields as were found, once there was time for that."""


def is_settled(way: Way) -> bool:
    """True where there is no better way to look for."""
    return way in _SHORTER or len(_shown(way)[0]) <= MOST_AT_ONCE


def settle(way: Way) -> None:
    """Look for fewer fields and a shorter way over a large board, which takes seconds; from then on it is the way.
    Where that fails, the way there was at once stays.
    """
    found = _first(way)
    try:
        found = _laid(way, quick=False)
    finally:
        if len(_SHORTER) >= MOST_KEPT:
            _SHORTER.clear()
        _SHORTER[way] = found


@lru_cache(maxsize=16)
def _first(way: Way) -> tuple[Field, ...]:
    """The way as it is there at once: the best one over a small board."""
    return _laid(way, quick=len(_shown(way)[0]) > MOST_AT_ONCE)


@lru_cache(maxsize=16)
def _shown(way: Way) -> tuple[list[str], Floats]:
    """What has to be seen: names, and boxes (n × 4, mm)."""
    return bodies(way.board.parts, way.side) if way.before else joints_seen(way.board.design, way.side)


def _laid(way: Way, quick: bool) -> tuple[Field, ...]:
    names, boxes = _shown(way)
    made = []
    for stop in tour(names, boxes, way.size, way.overlap, quick).stops:
        refs = tuple(dict.fromkeys(name if way.before else name.rpartition(".")[0] for name in stop.joints))
        made.append(Field(way.side, stop.x, stop.y, *way.size, refs, () if way.before else stop.joints))
    return tuple(made)


def bodies(parts: Sequence[Part], side: str) -> tuple[list[str], Floats]:
    """Parts that stand on a side, and the boxes of their bodies (n × 4, mm)."""
    own = [p for p in parts if p.side == side and not p.through_hole]
    return [p.ref for p in own], shapely.bounds([body_polygon(p) for p in own]).reshape(-1, 4)


def unseen(batch: Batch, board: Board) -> list[Field]:
    """Fields that nobody looked through since something in them was mended, or since the board was sent back."""
    looks = batch.state[Looks].seen.get((board.serial, batch.step.id), [])
    mended = {f.ref: f.repaired for f in board.faults if f.repaired}
    back = max((sent.at for sent in board.sent_back), default="")
    left = []
    for field in fields_of(batch):
        since = max([back, *(mended[ref] for ref in field.refs if ref in mended)])
        own = [look for look in looks if look.side == field.side and look.at > since]
        if not own or not _covered(field, np.array([look.box for look in own])):
            left.append(field)
    return sorted(left, key=lambda field: not mended.keys() & set(field.refs))  # what was mended is looked at first


def _covered(field: Field, looks: Floats) -> bool:
    """The field was looked at as a whole: at one place, or with a microscope that shows more at once."""
    x0, y0, x1, y1 = field.box
    slack = 0.02
    inside = (looks[:, 0] <= x0 + slack) & (looks[:, 1] <= y0 + slack)
    return bool((inside & (looks[:, 2] >= x1 - slack) & (looks[:, 3] >= y1 - slack)).any())


def seen_boxes(batch: Batch, board: Board, side: str) -> list[tuple[float, float, float, float]]:
    """What of a side was looked at, and counts."""
    left = {(f.side, f.x, f.y) for f in unseen(batch, board)}
    return [f.box for f in fields_of(batch) if f.side == side and (f.side, f.x, f.y) not in left]
