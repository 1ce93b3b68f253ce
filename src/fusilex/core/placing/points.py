"""Places on a panel: reference points by name, and every placement of every cell."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike, NDArray

from fusilex.core.design.model import Design, Part
from fusilex.core.panel.layout import Panel

Points = NDArray[np.float64]


def named_point(design: Design, panel: Panel, name: str) -> tuple[float, float]:
    """Where a point lies on the panel by design (mm): a panel fiducial such as ``P1``, or a part of a cell, ``U1@3``.

    A part without a cell means cell 1. Raises KeyError when there is no such point.
    """
    for fiducial, x, y in panel.fiducials:
        if fiducial.lower() == name.lower():
            return x, y
    ref, _, cell = name.partition("@")
    part = design.part_by_ref.get(ref) or design.part_by_ref.get(ref.upper())
    number = int(cell) if cell.isdecimal() and len(cell) < 6 else 1 if not cell else 0
    if part is None or not 1 <= number <= panel.count:
        raise KeyError(name)
    x, y = panel.step(on_board(design, [part]))[number - 1, 0]
    return float(x), float(y)


def on_board(design: Design, parts: Sequence[Part]) -> Points:
    """Parts (n × 2, mm) counted from the board's lower-left corner."""
    corner = np.asarray(design.outline.bounds[:2])
    return np.asarray(np.array([[p.x, p.y] for p in parts], dtype=float).reshape(-1, 2) - corner)


def cell_of(panel: Panel, name: str) -> int | None:
    """The cell (from 0) that a point named as in `named_point` lies in; None for the panel's own.

    >>> from fusilex.core.panel.layout import single
    >>> cell_of(single(40.0, 30.0), "U1"), cell_of(single(40.0, 30.0), "U1@3")
    (0, 2)
    """
    if any(fiducial.lower() == name.lower() for fiducial, _, _ in panel.fiducials):
        return None
    _, _, cell = name.partition("@")
    return int(cell) - 1 if cell.isdecimal() else 0


def on_panel(design: Design, panel: Panel, parts: Sequence[Part], cell: int | None = None) -> tuple[list[str], Points]:
    """Names such as ``U1 in cell 3`` and places (n × 2, mm, panel frame) of parts in every cell that carries a
    board, or in one.
    """
    stepped = panel.step(on_board(design, parts))
    cells = panel.cells if cell is None else [cell]
    return [f"{p.ref} in cell {cell + 1}" for cell in cells for p in parts], stepped[cells].reshape(-1, 2)


def as_seen(panel: Panel, xy: ArrayLike, side: str) -> Points:
    """Panel points (n × 2, mm) as they lie with a side up: turned over about the y axis, x counts from the other edge.

    >>> from fusilex.core.panel.layout import single
    >>> as_seen(single(40.0, 30.0), [[10.0, 5.0]], "bottom").tolist()
    [[30.0, 5.0]]
    """
    points = np.atleast_2d(np.asarray(xy, dtype=float))
    return points if side != "bottom" else points * (-1.0, 1.0) + (panel.width, 0.0)


def angle_as_seen(rotation_deg: float, cell_turn_deg: float, side: str) -> float:
    """A part's angle in a panel with its side up, degrees counter-clockwise as seen: the part's own turn counts as seen
    from its side, the cell's as seen from the top, so below the sign of that turns.

    >>> angle_as_seen(90, 90, "top"), angle_as_seen(90, 90, "bottom")
    (180, 0)
    """
    return rotation_deg + (cell_turn_deg if side != "bottom" else -cell_turn_deg)
