"""The stand-in machine at the end of a serial line."""

from __future__ import annotations

import time

from fusilex.devices.placer import SimulatedPlacer
from fusilex.devices.terminal import Terminal


class PlacerLine(Terminal):
    """Serves a stand-in whose time goes `fast` times as fast as ours."""

    TICK_S = 0.002

    def __init__(self, placer: SimulatedPlacer, fast: float = 1.0) -> None:
        super().__init__()
        self.placer, self.fast = placer, fast
        self._before = time.monotonic()

    def hear(self, line: str) -> None:
        self.placer.send(line)

    def say(self) -> list[str]:
        now = time.monotonic()
        self.placer.advance((now - self._before) * self.fast)
        self._before = now
        return list(self.placer.lines())
