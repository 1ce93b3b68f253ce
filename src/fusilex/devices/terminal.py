"""A stand-in at the end of a serial line: a pseudo-terminal that a program opens as it would a real port."""

from __future__ import annotations

import os
import select
import threading
import tty
from typing import Self


class Terminal:
    """Serves what subclasses answer; `port` is the name to open. Use with ``with``."""

    TICK_S = 0.01

    def __init__(self) -> None:
        self._ours, theirs = os.openpty()
        tty.setraw(theirs)
        self.port, self._theirs = os.ttyname(theirs), theirs
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._serve, daemon=True)

    def hear(self, line: str) -> None:
        """A line came in."""

    def say(self) -> list[str]:
        """Lines to go out now; asked after every tick."""
        return []

    def __enter__(self) -> Self:
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._ended.set()
        self._thread.join()
        os.close(self._ours)
        os.close(self._theirs)

    def _serve(self) -> None:
        rest = b""
        while not self._ended.is_set():
            if select.select([self._ours], [], [], self.TICK_S)[0]:
                *whole, rest = (rest + os.read(self._ours, 4096)).split(b"\n")
                for line in whole:
                    self.hear(line.decode("ascii", "replace").rstrip("\r"))
            for word in self.say():
                os.write(self._ours, word.encode("ascii", "replace") + b"\n")
