"""A placing machine as a record: what its JSON says, with ranges, and the machine that follows from it."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import msgspec
from msgspec import Meta

from fusilex.bench.workshop.record import Name, Positive, Record
from fusilex.core.machine.model import AXES, MOST_POCKETS, Axis, Head, Machine, Nozzle, Slot, Times

STAND_IN = "stand-in"
"""The port of a placer that is simulated; one without a port runs nothing."""
Mm = Annotated[float, Meta(ge=-2000, le=2000)]
Size = Annotated[float, Meta(gt=0, le=2000)]
Place = tuple[Mm, Mm]
Seconds = Annotated[float, Meta(ge=0, le=3600)]


class Written(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A part of the record; unknown fields are refused."""


class SlotRow(Written, frozen=True):
    """A slot: pick point (mm, bed), widest tape (mm), kind, and degrees its tapes are turned by; of a strip or tray how
    many pockets lie in a row along x, `step_x` mm apart, and how many rows along y, `step_y` mm apart (below 0: back).
    """

    name: Name
    x: Mm
    y: Mm
    width: Annotated[float, Meta(gt=0, le=100)] = 8.0
    kind: Literal["tape", "strip", "tray"] = "tape"
    turn: Annotated[float, Meta(ge=-360, le=360)] = 0.0
    in_row: Annotated[int, Meta(ge=1, le=MOST_POCKETS)] = 1
    rows: Annotated[int, Meta(ge=1, le=MOST_POCKETS)] = 1
    step_x: Annotated[float, Meta(ge=-200, le=200)] = 0.0
    step_y: Annotated[float, Meta(ge=-200, le=200)] = 0.0

    @property
    def slot(self) -> Slot:
        """The same, as the sums know it."""
        lies = self.x, self.y, self.width, self.kind, self.turn, self.in_row, self.rows
        return Slot(self.name, *lies, (self.step_x, 0.0), (0.0, self.step_y))


class NozzleRow(Written, frozen=True):
    """A nozzle: narrowest and widest body (mm), heaviest (mg), its profile (height above the end, radius; mm) and its
    place in the changer.
    """

    name: Name
    least: Annotated[float, Meta(ge=0, le=100)]
    most: Annotated[float, Meta(gt=0, le=100)]
    heaviest: Positive = 1000.0
    profile: tuple[tuple[float, float], ...] = ((0.0, 0.5), (3.0, 1.5), (8.0, 3.0))
    rack: Place | None = None


class HeadRow(Written, frozen=True):
    """A head: how far it hangs from the beam's place (mm), the nozzle it starts with, those it takes (none: all)."""

    name: Name
    dx: Mm = 0.0
    dy: Mm = 0.0
    nozzle: str = ""
    takes: tuple[str, ...] = ()


class AxisRow(Written, frozen=True):
    """An axis: top speed and acceleration, mm/s and mm/s² (°/s, °/s² for turning)."""

    speed: Positive
    acceleration: Positive


class TimeRow(Written, frozen=True):
    """Seconds to hold still for a pick, a place and a look; to change a nozzle; for the head to pull a part forward;
    for a person to load a slot.
    """

    pick: Seconds = 0.15
    place: Seconds = 0.15
    look: Seconds = 0.2
    change: Seconds = 4.0
    feed: Seconds = 0.0
    load: Seconds = 90.0


def _usual_slots() -> tuple[SlotRow, ...]:
    return tuple(SlotRow(str(k + 1), 40.0 + 15.0 * k, 20.0) for k in range(16))


def _usual_nozzles() -> tuple[NozzleRow, ...]:
    return (NozzleRow("small", 0.3, 1.3), NozzleRow("large", 1.0, 16.0))


class Placer(Record, frozen=True):
    """A placing machine: bed (mm), slots, heads, nozzles, axes and times; `feed` (mm/min) is how fast tips go down and
    up, `travel_z` the greatest height to travel at, `board_z` and `pick_z` those of the bare board and of parts in
    their pockets, `clamp_z`, `rack_z` and `camera_z` those of what stands on the bed (mm; 0 for what is not there, and
    one that nobody measured has the machine travel at its greatest height).
    """

    what: ClassVar[str] = "placer"
    title: ClassVar[str] = "Placers"
    feed: Positive = 3000
    travel_z: float = 25.0
    board_z: float = 0.0
    pick_z: float = 0.0
    clamp_z: Mm | None = None
    rack_z: Mm | None = None
    camera_z: Mm | None = None
    width: Size = 400.0
    depth: Size = 300.0
    board: Place = (100.0, 100.0)
    slots: Annotated[tuple[SlotRow, ...], Meta(min_length=1, max_length=200)] = msgspec.field(
        default_factory=_usual_slots
    )
    heads: Annotated[tuple[HeadRow, ...], Meta(min_length=1, max_length=len(AXES))] = (HeadRow("1"),)
    nozzles: Annotated[tuple[NozzleRow, ...], Meta(min_length=1, max_length=16)] = msgspec.field(
        default_factory=_usual_nozzles
    )
    x: AxisRow = AxisRow(300.0, 3000.0)
    y: AxisRow = AxisRow(300.0, 3000.0)
    z_acceleration: Positive = 4000.0
    turn: AxisRow = AxisRow(1080.0, 14400.0)
    times: TimeRow = TimeRow()
    vision: bool = False
    look_at: Place = (0.0, 0.0)
    camera: Place = (0.0, 0.0)
    reject: Place = (0.0, 0.0)
    park: Place = (0.0, 0.0)
    height_step: Annotated[float, Meta(ge=0, le=50)] = 1.0
    clamped: Literal["left and right", "front and back"] = "left and right"
    edge: Annotated[float, Meta(ge=0, le=50)] = 3.0
    clearance: Annotated[float, Meta(ge=0, le=10)] = 0.3
    port: str = ""

    def __post_init__(self) -> None:
        if faults := self.machine.faults():
            raise ValueError("; ".join(faults[:3]))

    @property
    def machine(self) -> Machine:
        """The machine that the record describes."""
        row = msgspec.structs.asdict
        return Machine(
            self.id,
            self.width,
            self.depth,
            self.board,
            tuple(s.slot for s in self.slots),
            tuple(Head(**row(h)) for h in self.heads),
            tuple(Nozzle(**row(n)) for n in self.nozzles),
            Axis(**row(self.x)),
            Axis(**row(self.y)),
            Axis(self.feed / 60, self.z_acceleration),
            Axis(**row(self.turn)),
            Times(**row(self.times)),
            self.vision,
            self.look_at,
            self.camera,
            self.reject,
            self.park,
            self.board_z,
            self.pick_z,
            self.travel_z,
            self.height_step,
            self.clamped,
            self.edge,
            self.clearance,
            self._stands,
        )

    @property
    def _stands(self) -> float | None:
        """The highest of what stands on the bed (mm), None where one of them was not measured."""
        known = [z for z in (self.clamp_z, self.rack_z, self.camera_z) if z is not None]
        return max(known) if len(known) == 3 else None
