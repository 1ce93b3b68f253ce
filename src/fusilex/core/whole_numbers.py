"""Integer programmes by SciPy's HiGHS, kept quiet."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from contextlib import contextmanager

import numpy as np
from numpy.typing import ArrayLike, NDArray

LONGEST_S = 10.0


def solve(
    cost: ArrayLike,
    rows: Sequence[ArrayLike],
    low: ArrayLike,
    high: ArrayLike,
    upper: ArrayLike,
    whole: ArrayLike,
    gap: float = 1e-6,
) -> tuple[NDArray[np.float64], float, float]:
    """The x ≥ 0 with the least cost · x under low ≤ rows · x ≤ high, x ≤ upper, whole where `whole` is 1; a bound that
    no x is below, and the gap (share) between. Raises ValueError where there is none.

    >>> solve([-3, -2], [[2, 1]], [0], [3], [2, 2], [1, 1])[0].tolist()
    [1.0, 1.0]
    """
    from scipy.optimize import Bounds, LinearConstraint, milp

    with _quiet():
        solved = milp(
            cost,
            constraints=LinearConstraint(np.array(rows), low, high),
            integrality=whole,
            bounds=Bounds(0, upper),
            options={"mip_rel_gap": gap, "time_limit": LONGEST_S},
        )
    if solved.x is None:
        raise ValueError("nothing satisfies all of that")
    bound = solved.fun if solved.mip_dual_bound is None else solved.mip_dual_bound
    return np.asarray(solved.x), float(bound), float(solved.mip_gap or 0.0)


@contextmanager
def _quiet() -> Iterator[None]:
    """HiGHS now and then prints a line of its own below Python, into whatever the verb is writing."""
    try:
        kept, nowhere = os.dup(1), os.open(os.devnull, os.O_WRONLY)
    except OSError:  # no output to spoil
        yield
        return
    try:
        os.dup2(nowhere, 1)
        yield
    finally:
        os.dup2(kept, 1)
        os.close(kept)
        os.close(nowhere)
