"""Records that Test goes by: first power, firmware, lists of tests, fixtures, limits between pins."""

from __future__ import annotations

import math
from typing import Annotated, ClassVar, Literal

import msgspec
from msgspec import Meta

from fusilex.bench.workshop.record import Name, Record

Amount = Annotated[float, Meta(ge=0, le=1e6)]
Ohms = Annotated[float, Meta(ge=0, le=1e9)]
MOST_TESTS, MOST_WORDS, MOST_S = 200, 60, 3600.0
ASKS, READS = ("ask", "press", "look"), ("measure", "ratio", "compare", "run")


class FirstPower(Record, frozen=True):
    """How a design gets its first power: the net it is fed at, volts, what parts draw (mA by reference, part number or
    value), by how much more the supply may give before it stops, and how warm (°C) a part may get.
    """

    what: ClassVar[str] = "power"
    title: ClassVar[str] = "First power"
    design: str = ""
    rail: Name = "VIN"
    volts: Annotated[float, Meta(gt=0, le=60)] = 5.0
    draws_ma: dict[str, Amount] = {}
    margin: Annotated[float, Meta(ge=1, le=10)] = 1.5
    warm_c: Annotated[float, Meta(ge=30, le=120)] = 50.0


class Firmware(Record, frozen=True):
    """What is written into the boards of a design: the file, its version, its digest (SHA-256; nothing: any), and the
    command that writes it, in words; `{file}`, `{serial}`, `{board}` stand for what they say. No command: by hand.
    """

    what: ClassVar[str] = "firmware"
    title: ClassVar[str] = "Firmware"
    design: str = ""
    file: str = ""
    version: str = ""
    sha256: Annotated[str, Meta(pattern=r"^([0-9a-f]{64})?$")] = ""
    command: tuple[str, ...] = ()
    most_s: Annotated[float, Meta(gt=0, le=MOST_S)] = 120.0

    def __post_init__(self) -> None:
        _words(self.command)


class FunctionTest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One test: `ask`, `press` or `look` (answered yes or no), `measure` (typed, or by a meter), `ratio` (of two tests
    measured before, `of`), `compare` (with the golden board, by at most `allowed`), `run` (a command: it ends well, and
    the last number it prints is the reading where there is a unit). `option` names an option of the batch it is for,
    `parts` those it proves: a repair of others leaves it standing.
    """

    name: Name
    kind: Literal["ask", "press", "look", "measure", "ratio", "compare", "run"] = "look"
    say: str = ""
    unit: str = ""
    low: float | None = None
    high: float | None = None
    uncertainty: float = 0.0
    allowed: float | None = None
    of: tuple[str, ...] = ()
    command: tuple[str, ...] = ()
    option: str = ""
    parts: tuple[str, ...] = ()
    most_s: Annotated[float, Meta(gt=0, le=MOST_S)] = 60.0


class TestList(Record, frozen=True):
    """What is tested of a design once it has power, in order, and the fixture that holds it ('' by hand)."""

    what: ClassVar[str] = "tests"
    title: ClassVar[str] = "Test lists"
    design: str = ""
    fixture: str = ""
    tests: tuple[FunctionTest, ...] = ()

    def __post_init__(self) -> None:
        if len(self.tests) > MOST_TESTS:
            raise ValueError(f"at most {MOST_TESTS} tests")
        before: list[str] = []
        for test in self.tests:
            _check(test, before)
            before.append(test.name)


class Fixture(Record, frozen=True):
    """A fixture with sprung contacts: the nets they touch, how many cycles they last, and after how many hours the
    golden board proves it anew.
    """

    what: ClassVar[str] = "fixture"
    title: ClassVar[str] = "Fixtures"
    design: str = ""
    contacts: tuple[str, ...] = ()
    cycles_last: Annotated[int, Meta(ge=1, le=10_000_000)] = 50_000
    proof_h: Annotated[float, Meta(gt=0, le=1000)] = 12.0


class PinLimits(Record, frozen=True):
    """What a meter reads between pins of a part, power off (Ω): pin, pin, least, most (0: no most). For bare dies gate
    to source, drain to source.
    """

    what: ClassVar[str] = "pins"
    title: ClassVar[str] = "Pin limits"
    part: Name = "part"
    between: tuple[tuple[str, str, Ohms, Ohms], ...] = ()

    def __post_init__(self) -> None:
        for n, (a, b, least, most) in enumerate(self.between, 1):
            if not a or not b or a == b:
                raise ValueError(f"row {n} is between two pins")
            if not (math.isfinite(least) and math.isfinite(most)) or (most and most <= least):
                raise ValueError(f"row {n} goes from less to more")


def _check(test: FunctionTest, before: list[str]) -> None:
    """Raises ValueError for a test that makes no sense."""
    name = test.name
    if name in before:
        raise ValueError(f"two tests are called {name}")
    if test.low is not None and test.high is not None and test.low > test.high:
        raise ValueError(f"{name}: its lower limit is above its upper one")
    if not (math.isfinite(test.uncertainty) and test.uncertainty >= 0):
        raise ValueError(f"{name}: an uncertainty of 0 or more")
    if test.kind == "ratio" and (len(test.of) != 2 or not set(test.of) <= set(before)):
        raise ValueError(f"{name}: a ratio is of two tests before it")
    if test.kind == "compare" and test.allowed is None:
        raise ValueError(f"{name}: by how much may it differ from the golden board")
    if test.kind == "measure" and test.low is None and test.high is None:
        raise ValueError(f"{name}: what is measured has a limit")
    if test.kind == "run" and not test.command:
        raise ValueError(f"{name}: what is to be run")
    _words(test.command)


def _words(command: tuple[str, ...]) -> None:
    if len(command) > MOST_WORDS or any("\0" in word for word in command):
        raise ValueError(f"a command of at most {MOST_WORDS} words")
