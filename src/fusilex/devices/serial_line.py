"""A serial port that never holds anybody up: a longest line, a longest wait, a longest silence, and one error."""

from __future__ import annotations

import os
import termios
import time
from collections.abc import Iterator
from contextlib import contextmanager

MOST_LINE, MOST_WAITING = 256, 65_536
"""Bytes of a line, and bytes that are taken at once."""
WRITE_S = 1.0


class LineBroken(Exception):
    """The port cannot be used, or what is at its end does not speak in lines; the sentence says which."""


class SerialLine:
    """A port opened once. What comes in is text in lines; bytes that are none are shown as such."""

    def __init__(self, port: str, baud: int) -> None:
        """Open a port such as ``/dev/ttyUSB0``. Raises `LineBroken`."""
        import serial

        self._rest, self._ended = b"", list[str]()
        with _broken(f"{port} cannot be opened"):
            self._port = serial.Serial(port, baud, timeout=0, write_timeout=WRITE_S)

    def line(self, within_s: float) -> str:
        """The next line; '' when none ended in time, however much was sent. Raises `LineBroken`."""
        until = time.monotonic() + within_s
        while not self._ended and (left := until - time.monotonic()) > 0:
            with _broken("the line broke"):
                self._port.timeout = min(left, 0.1)
                some = self._port.read(1)
            self._take(some)
            if some:
                self._take_waiting()
        return self._ended.pop(0) if self._ended else ""

    def lines(self) -> list[str]:
        """All lines that are there, without waiting. Raises `LineBroken`."""
        self._take_waiting()
        found, self._ended = self._ended, []
        return found

    def write(self, text: str) -> None:
        """Send a line. Raises `LineBroken`, also where it is not taken in time."""
        with _broken("it takes nothing"):
            self._port.write(f"{text}\n".encode("ascii", "replace"))

    def forget(self) -> None:
        """What was sent so far answers nothing that is asked from now on. Raises `LineBroken`."""
        with _broken("the line broke"):
            self._port.reset_input_buffer()
        self._rest, self._ended = b"", []

    def close(self) -> None:
        with _broken("the line broke"):
            self._port.close()

    def _take_waiting(self) -> None:
        with _broken("the line broke"):
            self._port.timeout = 0
            some = self._port.read(MOST_WAITING)
        self._take(some)

    def _take(self, some: bytes) -> None:
        *whole, self._rest = (self._rest + some).replace(b"\r", b"\n").split(b"\n")
        if len(self._rest) > MOST_LINE or any(len(line) > MOST_LINE for line in whole):
            self._rest = b""
            raise LineBroken("it sends without ending a line: is its speed (baud) right?")
        told = (line.decode("ascii", "replace").strip() for line in whole)
        self._ended += [line for line in told if line]


@contextmanager
def _broken(what: str) -> Iterator[None]:
    """Whatever the driver raises, as one error."""
    import serial

    try:
        yield
    except (serial.SerialException, ValueError, OSError, termios.error, TypeError) as problem:
        number = getattr(problem, "errno", None)
        told = os.strerror(number) if isinstance(number, int) else " ".join(str(problem).split())[:120]
        raise LineBroken(f"{what} ({told if told.isprintable() else ascii(told)})") from problem
