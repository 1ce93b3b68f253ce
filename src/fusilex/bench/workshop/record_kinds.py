"""The kinds of records: what the workshop owns and goes by, each with its fields and their ranges."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import msgspec
from msgspec import Meta

from fusilex.bench.workshop.hot_air_profiles import HotAirProfile
from fusilex.bench.workshop.labels_and_prices import Costs, LabelStock
from fusilex.bench.workshop.oven import Oven
from fusilex.bench.workshop.placer import Placer
from fusilex.bench.workshop.proof_kinds import Firmware, FirstPower, Fixture, PinLimits, TestList
from fusilex.bench.workshop.record import Name, Positive, Record, Share
from fusilex.core.heat.hot_air import Gun
from fusilex.core.inspection.severity import Grades
from fusilex.core.measuring.guard import Uncertainty
from fusilex.core.printing.paste import Paste
from fusilex.core.reflow.windows import ProcessWindow
from fusilex.core.wet_paste.jar import LIFE, life_h

Celsius = Annotated[float, Meta(ge=0, le=400)]
Seconds = Annotated[float, Meta(ge=0, le=7200)]
Range = tuple[float, float]
Day = Annotated[str, Meta(pattern=r"^(\d{4}-\d{2}-\d{2})?$")]
"""A date such as 2026-03-31, or nothing."""


class PasteSheet(Record, frozen=True):
    """A paste by its sheet: alloy, metal's density (g/cm³) and mass fraction, window, hours of tack and at most; the
    powder's type (0 unknown), and hours it keeps at rising temperatures (°C, h).
    """

    what: ClassVar[str] = "paste"
    title: ClassVar[str] = "Pastes"
    alloy: Name = "SAC305"
    metal_density: Positive = 7.4
    metal_load: Share = 0.885
    window: Name = "lead-free"
    tack_h: Positive = 4.0
    longest_h: Positive = 8.0
    powder: Literal[0, 3, 4, 5, 6] = 0
    life: tuple[tuple[float, float], ...] = LIFE

    def __post_init__(self) -> None:
        life_h(20.0, self.life)

    @property
    def paste(self) -> Paste:
        return Paste(self.id, self.alloy, self.metal_density, self.metal_load)


class Window(Record, frozen=True):
    """A window for the oven: °C, °C/s and s; ranges have both ends inside."""

    what: ClassVar[str] = "window"
    title: ClassVar[str] = "Process windows"
    melting: Celsius = 217
    soak_band: Range = (150, 200)
    heating: Range = (0, 3)
    soak: Range = (60, 120)
    above_melting: Range = (40, 90)
    peak: Range = (235, 250)
    cooling: Range = (0, 4)
    to_peak_s: Seconds = 480
    above_melting_hard_s: Seconds = 150
    cooling_hard: Positive = 6

    def __post_init__(self) -> None:
        for name in ("soak_band", "heating", "soak", "above_melting", "peak", "cooling"):
            low, high = getattr(self, name)
            if not 0 <= low < high <= 7200:
                raise ValueError(f"{name} runs from {low:g} to {high:g}")
        if self.peak[0] <= self.melting:
            raise ValueError("the peak lies above melting")

    @property
    def process_window(self) -> ProcessWindow:
        given = msgspec.structs.asdict(self)
        return ProcessWindow(given.pop("id"), **{k: v for k, v in given.items() if k != "note"})


class Jar(Record, frozen=True):
    """A jar or syringe of a paste: grams when it went on record, when it was opened, when it expires; when it came and
    how warm (°C) it was kept since.
    """

    what: ClassVar[str] = "jar"
    title: ClassVar[str] = "Jars"
    paste: Name = "lead-free"
    grams: Positive = 250
    opened: Day = ""
    expires: Day = ""
    form: Literal["jar", "syringe"] = "jar"
    received: Day = ""
    kept_c: Annotated[float, Meta(ge=-30, le=60)] = 5.0


class Stencil(Record, frozen=True):
    """A stencil: foil (mm), coated or not, and the design and side it is cut for."""

    what: ClassVar[str] = "stencil"
    title: ClassVar[str] = "Stencils"
    foil_mm: Annotated[float, Meta(ge=0.02, le=1.0)] = 0.12
    coated: bool = False
    design: str = ""
    side: Literal["", "top", "bottom"] = ""


class Needle(Record, frozen=True):
    """A needle of the syringe, by its bore (mm)."""

    what: ClassVar[str] = "needle"
    title: ClassVar[str] = "Needles"
    bore_mm: Annotated[float, Meta(ge=0.05, le=3.0)] = 0.41


class Scrap(Record, frozen=True):
    """A piece of bare board to lay around a board while it is printed: its sides and thickness (mm)."""

    what: ClassVar[str] = "scrap"
    title: ClassVar[str] = "Support boards"
    width_mm: Positive = 100.0
    height_mm: Positive = 25.0
    thick_mm: Annotated[float, Meta(ge=0.1, le=10)] = 1.6


class Blade(Record, frozen=True):
    """A squeegee by the width of its blade (mm)."""

    what: ClassVar[str] = "blade"
    title: ClassVar[str] = "Blades"
    width_mm: Positive = 150.0


class AirGun(Record, frozen=True):
    """A hot-air gun by its nozzle's diameter, how far beyond it solder melts, how high it is held (mm), and the lowest
    flow it can be set to (l/min).
    """

    what: ClassVar[str] = "air"
    title: ClassVar[str] = "Hot air"
    nozzle_mm: Annotated[float, Meta(ge=1, le=80)] = 5.0
    spread_mm: Annotated[float, Meta(ge=0, le=30)] = 3.0
    distance_mm: Annotated[float, Meta(ge=1, le=200)] = 15.0
    lowest_l_per_min: Annotated[float, Meta(gt=0, le=500)] = 8.0

    @property
    def gun(self) -> Gun:
        return Gun(self.nozzle_mm, self.spread_mm, self.distance_mm)


class Microscope(Record, frozen=True):
    """A microscope by its field (mm), and the share by which fields overlap."""

    what: ClassVar[str] = "microscope"
    title: ClassVar[str] = "Microscopes"
    field_w_mm: Positive = 20.0
    field_h_mm: Positive = 15.0
    overlap: Annotated[float, Meta(ge=0, lt=0.9)] = 0.1


class Instrument(Record, frozen=True):
    """A meter, scale or sensor: the port it hangs on (``stand-in`` tries the station out) and when it was checked; how
    far its readings may be off (k = 2), as a share and a fixed part in its unit, and up to where its beeper sounds (Ω).
    """

    what: ClassVar[str] = "instrument"
    title: ClassVar[str] = "Instruments"
    measures: Literal["resistance", "mass", "temperature", "air", "component", "function"] = "resistance"
    port: str = ""
    check_by: Day = ""
    off_share: Annotated[float, Meta(ge=0, le=0.5)] = 0.0
    off_fixed: Annotated[float, Meta(ge=0, le=1e6)] = 0.0
    beeps_below_ohm: Annotated[float, Meta(ge=0, le=10_000)] = 30.0

    @property
    def uncertainty(self) -> Uncertainty:
        return Uncertainty(self.off_share, self.off_fixed)


class Person(Record, frozen=True):
    """Somebody who works here, by initials."""

    what: ClassVar[str] = "person"
    title: ClassVar[str] = "People"
    name: str = ""
    rate_per_h: Annotated[float, Meta(ge=0, le=1e4)] = 0.0


class Limits(Record, frozen=True):
    """What this shop goes by: gap of pads to probe (mm), reading above which nets are apart (Ω), the yield that is
    good, the thickness of a board (mm), how many heats a part takes, the class of workmanship, what a good board is
    worth (0: nobody says), and bodies whose sheet names another limit (°C) than the standard: by part number or
    reference.
    """

    what: ClassVar[str] = "limits"
    title: ClassVar[str] = "Limits"
    probe_gap_mm: Annotated[float, Meta(gt=0, le=5)] = 0.6
    open_above_ohm: Positive = 100.0
    good_yield: Share = 0.9
    board_mm: Annotated[float, Meta(ge=0.1, le=10)] = 1.6
    heats: Annotated[int, Meta(ge=1, le=20)] = 3
    workmanship: Name = "general"
    board_worth: Annotated[float, Meta(ge=0, le=1e6)] = 0.0
    bodies_c: dict[str, Annotated[float, Meta(ge=60, le=400)]] = {}


class Workmanship(Record, frozen=True):
    """A class of workmanship: the most a part may hang over its land, the least a hole or joint is filled, the most a
    joint may be hollow (shares of 1). They belong to the standard you adopted; those that ship are starting points.
    """

    what: ClassVar[str] = "workmanship"
    title: ClassVar[str] = "Workmanship"
    overhang: Share = 0.5
    fill: Share = 0.75
    hollow: Share = 0.25

    @property
    def grades(self) -> Grades:
        return Grades(self.overhang, self.fill, self.hollow)


class Serials(Record, frozen=True):
    """How serials of a design are made: what they begin with."""

    what: ClassVar[str] = "serials"
    title: ClassVar[str] = "Serials"
    design: str = ""
    prefix: Annotated[str, Meta(min_length=1, max_length=8)] = "B"


KINDS: dict[str, type[Record]] = {
    kind.what: kind
    for kind in (
        *(Jar, PasteSheet, Stencil, Needle, Window, Costs),
        *(Placer, Oven, AirGun, HotAirProfile, Microscope, Instrument),
        *(Person, Limits, Serials, Blade, Scrap, Workmanship),
        *(FirstPower, Firmware, TestList, Fixture, PinLimits, LabelStock),
    )
}
"""Every kind there is, in the order they stand on the workshop's bench, six in a row."""
