"""What a slanted look does: the higher a body stands, the further its top is seen off its place."""

from __future__ import annotations

import numpy as np

from fusilex.core.design.model import Part
from fusilex.core.photo.frame import Floats

LOW_MM = 2.0
"""Bodies no higher tell the slant; those that are higher are looked for where it puts them."""
SLANT, OVER_MM, READ_MM, ROUNDS, GUESSED = 0.2, 0.003, 0.05, 10, 0.5
"""How slanted a look may be (mm a mm of height), how that changes over the board (a mm), how well a place is read, and
how far a height that nobody knows may be off.
"""


def slanted(parts: list[Part], off_mm: Floats, told: Floats) -> tuple[Floats, Floats]:
    """How far each body is seen off by the slant (n × 2, mm), and the standard error of that (n, mm), from how far
    those that were `told` (n, true or not) lie off (n × 2, mm). A pinhole camera sees a point at height h moved by h
    times a linear function of its place. Where the board was found by its bodies, what they share of that is taken out
    already, and is put back. By least squares with Huber's weights, held to what a hand does.
    """
    height = np.array([p.package.height for p in parts])
    at = np.array([(p.x, p.y) for p in parts])
    at = at - at.mean(axis=0)
    flat = np.zeros((len(parts), 2, 6))
    flat[:, 0, 0] = flat[:, 1, 1] = height
    flat[:, :, 2] = height[:, None] * at
    flat[:, 0, 3] = flat[:, 1, 4] = 1.0
    flat[:, :, 5] = at
    held = np.diag(1 / np.array([SLANT, SLANT, OVER_MM, SLANT, SLANT, OVER_MM]) ** 2)
    weight, rows = told.astype(float), off_mm * told[:, None]
    for _ in range(ROUNDS):
        heavy = flat * (weight / READ_MM**2)[:, None, None]
        normal = np.einsum("nia,nib->ab", heavy, flat) + held
        found = np.linalg.solve(normal, np.einsum("nia,ni->a", heavy, rows))
        left = np.linalg.norm(rows - flat @ found, axis=1)
        weight = told * np.minimum(1.0, 2 * READ_MM / np.maximum(left, 1e-9))
    seen = flat @ found
    spread = np.sqrt(np.einsum("nia,ab,nib->n", flat, np.linalg.inv(normal), flat) / 2)
    guessed = np.array([not p.package.known for p in parts])
    return seen, np.hypot(spread, GUESSED * guessed * np.linalg.norm(seen, axis=1))
