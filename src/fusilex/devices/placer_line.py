"""The stand-in machine at the end of a serial line: a pseudo-terminal that a program opens as it would a real port."""

from __future__ import annotations

import os
import select
import threading
import time
import tty

from fusilex.devices.placer import SimulatedPlacer

TICK_S = 0.002


class PlacerLine:
    """Serves a stand-in; `port` is the name to open. Its time goes `fast` times as fast as ours. Use with ``with``."""

    def __init__(self, placer: SimulatedPlacer, fast: float = 1.0) -> None:
        self.placer, self.fast = placer, fast
        self._ours, theirs = os.openpty()
        tty.setraw(theirs)
        self.port, self._theirs = os.ttyname(theirs), theirs
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._serve, daemon=True)

    def __enter__(self) -> PlacerLine:
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._ended.set()
        self._thread.join()
        os.close(self._ours)
        os.close(self._theirs)

    def _serve(self) -> None:
        rest, before = b"", time.monotonic()
        while not self._ended.is_set():
            if select.select([self._ours], [], [], TICK_S)[0]:
                *whole, rest = (rest + os.read(self._ours, 4096)).split(b"\n")
                for line in whole:
                    self.placer.send(line.decode("ascii", "replace").rstrip("\r"))
            now = time.monotonic()
            self.placer.advance((now - before) * self.fast)
            before = now
            for word in self.placer.lines():
                os.write(self._ours, word.encode("ascii", "replace") + b"\n")
