"""Boards and what hangs on each: prints, loads, parts, faults, readings. Every station adds to the same thread."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from msgspec import Struct, field

from fusilex.core.heat.group import Group
from fusilex.core.kit.variants import Variant
from fusilex.core.route.steps import ASIDE, station_of


class PastePrint(Struct, frozen=True):
    """Paste put on a panel at a step: one stroke of the squeegee, or dots from a syringe. `lay` is how the foil was
    found to lie (mm, mm, °, share), () where nobody looked.
    """

    number: int
    at: str
    panel: int
    foil_mm: float
    paste: str
    note: str = ""
    step: str = "Print"
    jar: str = ""
    lay: tuple[float, ...] = ()


class Load(Struct, frozen=True):
    """One run of the oven. `log` is the digest of its record, '' for one that was only seen by eye, as `seen` says;
    `rule` the numbers of the window it was judged by. `joints` are what the oven's twin, held to the log, makes of its
    parts, worst first; `off_c` how far (°C, RMS) the log was from what the twin predicted, and whether the oven
    `changed`. `marks` is the digest of what was told and seen, of a run by eye; `silent` are probes whose columns have
    too few readings; `beside` are the panels that went in with `panel`.
    """

    number: int
    at: str
    panel: int
    boards: tuple[str, ...]
    window: str
    log: str = ""
    log_name: str = ""
    metrics: dict[str, dict[str, Any]] = field(default_factory=dict)
    index: float | None = None
    seen: str = ""
    step: str = "Reflow"
    rule: dict[str, Any] = field(default_factory=dict)
    joints: tuple[Group, ...] = ()
    off_c: float | None = None
    changed: bool = False
    marks: str = ""
    silent: tuple[str, ...] = ()
    beside: tuple[int, ...] = ()

    @property
    def panels(self) -> tuple[int, ...]:
        """Every panel of the load."""
        return self.panel, *self.beside


class Fault(Struct):
    """A marked fault; `id` is the entry that marked it, `pin` the joint it is at, '' for the part as a whole.
    `accepted` says within which limit of the shop it lies, where it was measured and lies within.
    """

    id: int
    ref: str
    word: str
    found_at: str
    when: str
    repaired: str | None = None
    result: str = ""
    pin: str = ""
    accepted: str = ""

    @property
    def place(self) -> str:
        """The part, or the joint of it."""
        return f"{self.ref}.{self.pin}" if self.pin else self.ref


class Put(Struct, frozen=True):
    """When a part came onto its board, by whom and out of which bin ('' where older journals do not say); of a machine
    from which slot, with which nozzle and head.
    """

    at: str
    who: str
    bin: str = ""
    slot: str = ""
    nozzle: str = ""
    head: str = ""


class SentBack(Struct, frozen=True):
    """A board went back to a step, or came back from its user, with a reason."""

    at: str
    start: str
    to: str
    reason: str


class Otherwise(Struct, frozen=True):
    """How a board differs from those beside it, since when and why."""

    at: str
    what: str
    reason: str


class Board(Struct):
    """One board of the batch with its record so far. Prints and loads are kept by the step they were made at, with
    what was `heated` there; `reflow_cycles` count by part; `inspected` and `passed` name steps: looked over at, and
    gone past without work; `fields` say by step how many fields of the microscope were seen, out of how many; `mended`
    when hands or heat were at it after a reading, and at which parts (none named: anywhere).
    """

    serial: str
    panel: int
    cell: int
    step: str = "Ready"
    came_from: str = ""
    placed: list[str] = field(default_factory=list)
    placed_how: dict[str, str] = field(default_factory=dict)
    put: dict[str, Put] = field(default_factory=dict)
    soldered: list[str] = field(default_factory=list)
    counted: set[str] = field(default_factory=set)
    faults: list[Fault] = field(default_factory=list)
    readings: dict[str, tuple[float, str]] = field(default_factory=dict)
    mended: list[tuple[str, tuple[str, ...]]] = field(default_factory=list)
    prints: dict[str, PastePrint] = field(default_factory=dict)
    loads: dict[str, Load] = field(default_factory=dict)
    reflow_cycles: dict[str, int] = field(default_factory=dict)
    heated: dict[str, frozenset[str]] = field(default_factory=dict)
    inspected: set[str] = field(default_factory=set)
    passed: list[str] = field(default_factory=list)
    sent_back: list[SentBack] = field(default_factory=list)
    variant: Variant = ()
    skips: set[str] = field(default_factory=set)
    otherwise: list[Otherwise] = field(default_factory=list)
    inspections: int = 0
    fields: dict[str, tuple[int, int]] = field(default_factory=dict)
    unseen: bool = False
    pictures: int = 0
    parcel: str = ""
    first_pass: bool | None = None
    tests: list[dict[str, Any]] = field(default_factory=list)
    released_at: str | None = None
    scrapped: bool = False

    @property
    def station(self) -> str:
        """The station of its step."""
        return station_of(self.step)

    @property
    def place(self) -> str:
        """The step it stands at on its route; in repair, the one it came from."""
        return self.came_from if self.station == ASIDE and self.came_from else self.step

    @property
    def open_faults(self) -> list[Fault]:
        return [f for f in self.faults if f.repaired is None and not f.accepted]

    def heat(self, refs: Iterable[str]) -> None:
        """One more heat for these parts."""
        for ref in refs:
            self.reflow_cycles[ref] = self.reflow_cycles.get(ref, 0) + 1


def laid_out(serials: Iterable[str], cells: Iterable[int]) -> list[tuple[str, int, int]]:
    """Serial, panel and cell of each board in turn, on panels with these cells."""
    there = list(cells)
    return [(serial, n // len(there) + 1, there[n % len(there)]) for n, serial in enumerate(serials)]


def numbers(made: Mapping[str, PastePrint | Load]) -> str:
    """Numbers of prints or loads, in words."""
    return " and ".join(str(one.number) for one in made.values()) or "none"


def panels_of(boards: list[Board]) -> list[int]:
    """Their panels, in order."""
    return list(dict.fromkeys(b.panel for b in boards))


def panels_words(panels: list[int]) -> str:
    """As a sentence names them.

    >>> panels_words([3]), panels_words([3, 4, 5])
    ('panel 3', 'panels 3, 4 and 5')
    """
    *most, last = map(str, panels)
    return f"panels {', '.join(most)} and {last}" if most else f"panel {last}"
