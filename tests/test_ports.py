"""Devices at the end of a serial line that flood, fall silent, break or say what cannot be: nobody is held up."""

from __future__ import annotations

import os
import threading
import time
import tty
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress

import pytest

from fusilex.devices.air_sensor import NoAir, SerialAir, parse_air, read_air
from fusilex.devices.bench_meter import SerialMultimeter, measure
from fusilex.devices.meter import NoMeter, SerialMeter, parse_meter, read_meter
from fusilex.devices.placer import NoPlacer, SerialPlacer
from fusilex.devices.scale import NoReading, SerialScale, parse_line, settled
from fusilex.devices.serial_line import LineBroken, SerialLine
from fusilex.devices.thermometer import NoThermometer, SerialThermometer

LONGEST_S = 3.0
"""No reading takes longer than this, whatever is at the other end."""


@pytest.fixture(autouse=True)
def _impatient(monkeypatch: pytest.MonkeyPatch) -> None:
    for name, seconds in (("scale.SETTLED_S", 0.8), ("air_sensor.LINE_S", 0.5), ("bench_meter.TIMEOUT_S", 0.5)):
        monkeypatch.setattr(f"fusilex.devices.{name}", seconds)


def soon(read: Callable[[], object]) -> object:
    """What is read before long."""
    until = time.monotonic() + LONGEST_S
    while (found := read()) in (None, [], "") and time.monotonic() < until:
        time.sleep(0.005)
    return found


class Far:
    """The other end of a port: what is sent to it, and how it breaks off."""

    def __init__(self) -> None:
        self.end, self.near = os.openpty()
        tty.setraw(self.near)
        self.port, self.gone = os.ttyname(self.near), threading.Event()
        self.sending: threading.Thread | None = None

    def send(self, data: bytes) -> None:
        os.write(self.end, data)

    def always(self, data: bytes, every_s: float = 0.0) -> None:
        """Sent over and over, from now on."""

        def go_on() -> None:
            os.set_blocking(self.end, False)
            while not self.gone.wait(every_s):
                try:
                    os.write(self.end, data)
                except BlockingIOError:
                    time.sleep(0.001)
                except OSError:
                    return

        self.sending = threading.Thread(target=go_on, daemon=True)
        self.sending.start()

    def close(self) -> None:
        self.gone.set()
        if self.sending is not None:
            self.sending.join()  # what it writes to is another's once it is closed
        for one in (self.end, self.near):
            with suppress(OSError):
                os.close(one)
        self.end = self.near = -1


@contextmanager
def far() -> Iterator[Far]:
    made = Far()
    try:
        yield made
    finally:
        made.close()


READS: dict[str, tuple[Callable[[str], Callable[[], object]], type[Exception]]] = {
    "scale": (lambda port: (lambda one: lambda: settled(one))(SerialScale(port)), NoReading),
    "component meter": (lambda port: (lambda one: lambda: read_meter(one))(SerialMeter(port)), NoMeter),
    "multimeter": (lambda port: (lambda one: lambda: measure(one))(SerialMultimeter(port)), NoMeter),
    "room": (lambda port: (lambda one: lambda: read_air(one))(SerialAir(port)), NoAir),
}
NONSENSE = {
    "flood": lambda end: end.always(b"x" * 4096),
    "lines of nothing": lambda end: end.always(b"nothing\n" * 500),
    "never at rest": lambda end: end.always(b"D + 12.34 g\nR ---\n", 0.01),
    "a letter now and then": lambda end: end.always(b"1", 0.3),
    "half a line": lambda end: end.send(b"S + 12.3"),
    "silence": lambda end: None,
    "another speed": lambda end: end.always(bytes(range(128, 256)), 0.02),
    "overload": lambda end: end.always(b"OVERLOAD\n", 0.05),
}


@pytest.mark.parametrize("what", [*NONSENSE])
@pytest.mark.parametrize("device", [*READS])
def test_whatever_a_device_sends_it_is_one_sentence_and_soon(device: str, what: str) -> None:
    make, error = READS[device]
    with far() as end:
        read = make(end.port)
        NONSENSE[what](end)
        began = time.monotonic()
        with pytest.raises(error) as told:
            read()
        assert time.monotonic() - began < LONGEST_S
        assert str(told.value).isprintable() and len(str(told.value)) < 200


@pytest.mark.parametrize("device", [*READS])
def test_a_device_that_goes_away_says_so(device: str) -> None:
    make, error = READS[device]
    for sent in (b"", b"S", b"S + 1", b"R 9.98"):
        with far() as end:
            read = make(end.port)
            if sent:
                end.send(sent)
            threading.Timer(0.05, end.close).start()
            with pytest.raises(error):
                read()
    with pytest.raises(error, match="cannot be opened"):
        make("/dev/no-such-port")


def test_what_cannot_be_is_no_reading() -> None:
    assert parse_line(f"S + {'9' * 56} g") is None and parse_line("S + 1e55 g") is None
    assert parse_meter("R 1e999 k") is None and parse_meter("C 12") is None and parse_meter("R 1e12") is not None
    assert parse_air(f"{'9' * 400} C 40 %") is None and parse_air("22 C 0 %") is None

    class Says:
        def __init__(self, answer: str) -> None:
            self.answer = answer

        def ask(self, query: str) -> str:
            return self.answer

    assert measure(Says("9.9E37")) == float("inf") and measure(Says("-9.9E+37")) == -float("inf")
    for answer in ("1e999", "-1e999", "nan", "1e13", "9e36", ""):
        with pytest.raises(NoMeter):
            measure(Says(answer))


def test_lines_come_whole_and_in_order_however_they_are_cut() -> None:
    text = b"".join(b"S +%7.2f g\r\n" % (n / 7) for n in range(40))
    for size in (1, 7, 300):
        with far() as end:
            line = SerialLine(end.port, 9600)
            for at in range(0, len(text), size):
                end.send(text[at : at + size])
            found = [line.line(1.0) for _ in range(40)]
            assert found == [row.decode().strip() for row in text.splitlines()]
            assert line.line(0.05) == "" and line.lines() == []


def test_a_machine_and_a_logger_that_flood_or_take_nothing_stop() -> None:
    with far() as end:
        machine = SerialPlacer(end.port)
        began = time.monotonic()
        with pytest.raises(NoPlacer, match="does not answer"):
            for _ in range(1000):  # nobody at the other end takes anything
                machine.send("G1 X1 Y1 " * 40)
        assert time.monotonic() - began < LONGEST_S
    with far() as end:
        logger = SerialThermometer(end.port, ["C1"])
        end.send(b"183.2\n1e999\n")
        assert soon(logger.read) == [183.2]
        end.always(b"7" * 4096)
        with pytest.raises(NoThermometer, match="without ending a line"):
            for _ in range(1000):
                logger.read()
                time.sleep(0.002)


def test_two_programs_on_one_port_are_told() -> None:
    with far() as end:
        SerialLine(end.port, 9600)
        end.close()
        with pytest.raises(LineBroken):
            SerialLine(end.port, 9600).line(0.2)
