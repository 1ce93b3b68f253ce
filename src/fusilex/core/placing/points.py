"""Places on a panel: reference points by name, and every placement of every cell."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

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
    number = int(cell) if cell.isdecimal() else 1 if not cell else 0
    if part is None or not 1 <= number <= panel.count:
        raise KeyError(name)
    x, y = panel.step(on_board(design, [part]))[number - 1, 0]
    return float(x), float(y)


def on_board(design: Design, parts: Sequence[Part]) -> Points:
    """Parts (n × 2, mm) counted from the board's lower-left corner."""
    corner = np.asarray(design.outline.bounds[:2])
    return np.asarray(np.array([[p.x, p.y] for p in parts], dtype=float).reshape(-1, 2) - corner)


def on_panel(design: Design, panel: Panel, parts: Sequence[Part]) -> tuple[list[str], Points]:
    """Names such as ``U1 in cell 3`` and places (n × 2, mm, panel frame) of parts in every cell that carries a
    board.
    """
    stepped = panel.step(on_board(design, parts))
    cells = panel.cells
    return [f"{p.ref} in cell {cell + 1}" for cell in cells for p in parts], stepped[cells].reshape(-1, 2)
