"""A serial port that never holds anybody up: a thread of its own, a longest line, a longest wait, and one error."""

from __future__ import annotations

import os
import re
import termios
import threading
import time
import weakref
from collections import deque
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from typing import Any

MOST_LINE, MOST_AT_ONCE, MOST_LINES = 256, 65_536, 5_000
"""Bytes of a line, bytes that are taken at once, and lines that wait to be read."""
LOOK_S, REST_S = 0.1, 0.002
"""How long a look for more may take, and how long the thread rests after some came: one that floods slows nobody."""

_SHOWN = re.compile(r"[^\t -~]")
"""What is no letter to be shown."""


class LineBroken(Exception):
    """The port cannot be used, or what is at its end does not speak in lines; the sentence says which."""


class SerialLine:
    """A port opened once. What comes in is text in lines; bytes that are none are shown as such. What is sent is handed
    over at once or not at all.
    """

    def __init__(self, port: str, baud: int) -> None:
        """Open a port such as ``/dev/ttyUSB0``. Raises `LineBroken`."""
        import serial

        with _broken(f"{port} cannot be opened"):
            self._port = serial.Serial(port, baud, timeout=LOOK_S, write_timeout=0)
        self._heard = _Heard(self._port)
        self._end = weakref.finalize(self, self._heard.end)
        threading.Thread(target=self._heard.listen, daemon=True, name=port).start()

    def line(self, within_s: float) -> str:
        """The next line; '' when none ended in time, however much was sent. Raises `LineBroken`."""
        return self._heard.next(within_s)

    def lines(self) -> list[str]:
        """All lines that are there, without waiting. Raises `LineBroken` once all before it were given."""
        return self._heard.all()

    def write(self, text: str) -> None:
        """Send a line. Raises `LineBroken`, also where it is not taken."""
        line = f"{text}\n".encode("ascii", "replace")
        with _broken("it takes nothing"):
            taken = self._port.write(line)
        if taken != len(line):
            raise LineBroken("it takes nothing")

    def forget(self) -> None:
        """What was sent so far answers nothing that is asked from now on. Raises `LineBroken`."""
        with _broken("the line broke"):
            self._port.reset_input_buffer()
        self._heard.forget()

    def close(self) -> None:
        """The port is free again when this returns."""
        self._end()


class _Heard:
    """What came in, as the thread that listens hands it over."""

    def __init__(self, port: Any) -> None:
        self.port, self.news, self.over = port, threading.Condition(), threading.Event()
        self._ended: deque[str] = deque()
        self._rest, self._why = b"", ""

    def listen(self) -> None:
        while not self.over.is_set():
            try:
                with _broken("the line broke"):
                    some = self.port.read(1)
                    if some:
                        some += self.port.read(min(self.port.in_waiting, MOST_AT_ONCE))
            except LineBroken as problem:
                self._break(str(problem))
                return
            if some and not self._take(some):
                return
            if some:
                time.sleep(REST_S)

    def _take(self, some: bytes) -> bool:
        *whole, self._rest = (self._rest + some).replace(b"\r", b"\n").split(b"\n")
        if len(self._rest) > MOST_LINE or any(len(line) > MOST_LINE for line in whole):
            self._break("it sends without ending a line: is its speed (baud) right?")
            return False
        told = (_SHOWN.sub("�", line.decode("ascii", "replace")).strip() for line in whole)
        with self.news:
            self._ended += [line for line in told if line]
            self.news.notify_all()
            many = len(self._ended) > MOST_LINES
        if many:
            self._break("it sends more than anybody can read")
        return not many

    def _break(self, why: str) -> None:
        with self.news:
            self._why = why
            self.news.notify_all()

    def next(self, within_s: float) -> str:
        with self.news:
            self.news.wait_for(lambda: self._ended or self._why, within_s)
            if self._ended:
                return self._ended.popleft()
            self._may_go_on()
            return ""

    def all(self) -> list[str]:
        with self.news:
            found = list(self._ended)
            self._ended.clear()
            if not found:
                self._may_go_on()
            return found

    def _may_go_on(self) -> None:
        if self._why:
            raise LineBroken(self._why)

    def forget(self) -> None:
        with self.news:
            self._ended.clear()
            self._rest = b""

    def end(self) -> None:
        """Nobody reads any more: what was not sent is dropped, so that closing does not wait for it."""
        self.over.set()
        with suppress(Exception):
            self.port.reset_output_buffer()
        with suppress(Exception):
            self.port.close()


@contextmanager
def _broken(what: str) -> Iterator[None]:
    """Whatever the driver raises, as one error."""
    import serial

    try:
        yield
    except (serial.SerialException, ValueError, OSError, termios.error, TypeError, AttributeError) as problem:
        number = getattr(problem, "errno", None)
        told = os.strerror(number) if isinstance(number, int) else " ".join(str(problem).split())[:120]
        if "readiness to read" in told:  # as the driver says it
            told = "it was unplugged, or another program has the port"
        raise LineBroken(f"{what} ({told if told.isprintable() else ascii(told)})") from problem
