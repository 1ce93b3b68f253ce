"""A made-up run of the shop's controlled oven: air follows a set curve, two probes follow the air with a lag, with
noise.
"""

from __future__ import annotations

import numpy as np

STEP_S = 0.5
_AIR = np.array([(0, 24), (20, 45), (95, 135), (185, 158), (238, 224), (252, 222), (318, 110), (430, 40)], dtype=float)
_LAG_S = {"U1": 9.0, "C1": 15.0}


def run(seed: int = 7) -> str:
    """The run as CSV text: seconds, then one probe per column in °C with 0.1 °C steps."""
    noise = np.random.default_rng(seed)
    time = np.arange(0, _AIR[-1, 0] + STEP_S / 2, STEP_S)
    air = np.interp(time, _AIR[:, 0], _AIR[:, 1])
    columns = []
    for lag in _LAG_S.values():
        board = np.empty_like(time)
        board[0] = air[0]
        for i in range(1, len(time)):
            board[i] = board[i - 1] + (air[i] - board[i - 1]) * STEP_S / lag
        columns.append(np.round(board + noise.normal(0, 0.15, len(time)), 1))
    head = "time_s," + ",".join(f"probe {name} C" for name in _LAG_S)
    rows = [f"{t:.1f}," + ",".join(f"{c[i]:.1f}" for c in columns) for i, t in enumerate(time)]
    return "\n".join(["# oven run for Heron R2, first article", head, *rows, ""])
