"""A design as its files state it: layers of polygons, holes, placements, bill of materials, nets, and parts joined of
them.

Lengths are mm in the board frame (x right, y up, seen from the top); turns are degrees, counter-clockwise positive as
seen from the side the part sits on.
"""

from __future__ import annotations

from functools import cached_property

import numpy as np
import shapely
from msgspec import Struct, field
from numpy.typing import NDArray
from shapely import Polygon
from shapely.geometry.base import BaseGeometry

from fusilex.core.evidence import Level
from fusilex.core.overlay import union_of
from fusilex.core.packages.catalogue import STANDARD, Catalogue, Package
from fusilex.core.panel.layout import Panel
from fusilex.core.wording import Said, worded

Polygons = NDArray[np.object_]


class Layer(Struct, frozen=True, eq=False, dict=True):
    """Dark areas of one layer, one polygon per drawn object, with what X2 attributes say of each (None if nothing).

    `polygons` holds n shapely polygons; `flashed` (n) is True for flashes; `nets` and `pins` have n entries, a pin
    being (reference, pad). `functions` are aperture functions such as ``SMDPad``. `unread` says what of its file
    could not be drawn.
    """

    role: str
    side: str | None
    polygons: Polygons
    flashed: NDArray[np.bool_]
    nets: tuple[str | None, ...]
    pins: tuple[tuple[str, str] | None, ...]
    functions: tuple[str | None, ...]
    unread: tuple[str, ...] = ()

    def __len__(self) -> int:
        return len(self.polygons)

    def only(self, index: NDArray[np.int_]) -> Layer:
        """The layer with the shapes of an index alone."""
        pick = index.tolist()
        return Layer(
            self.role,
            self.side,
            self.polygons[index],
            self.flashed[index],
            tuple([self.nets[i] for i in pick]),
            tuple([self.pins[i] for i in pick]),
            tuple([self.functions[i] for i in pick]),
            self.unread,
        )

    @cached_property
    def tree(self) -> shapely.STRtree:
        return shapely.STRtree(self.polygons)

    @cached_property
    def area(self) -> BaseGeometry:
        """Union of all polygons."""
        return union_of(self.polygons) if len(self) else Polygon()


class Hole(Struct, frozen=True):
    """A drilled hole, mm. `span` gives the first and last copper layer a blind or buried one joins, None for all. A
    slot or routed path has one at either end of each stretch; all but the first `goes_on`, and are not counted.
    """

    x: float
    y: float
    diameter: float
    plated: bool
    span: tuple[int, int] | None = None
    goes_on: bool = False


class Placement(Struct, frozen=True):
    """A line of the placement list; `turn_given` is False where it says nothing of the turn, which then counts as 0."""

    ref: str
    x: float
    y: float
    rotation_deg: float
    side: str
    package: str
    value: str
    line: int = 0
    populate: bool = True
    turn_given: bool = True


class BomLine(Struct, frozen=True):
    """A line of the bill of materials; `populate` is False for parts marked do-not-populate."""

    refs: tuple[str, ...]
    value: str
    package: str
    part_number: str
    quantity: int | None
    populate: bool = True
    line: int = 0


class NetPoint(Struct, frozen=True):
    """A test record of the netlist: a pad (or via when `ref` is empty) on a net; `side` None means reachable from
    both.
    """

    net: str | None
    ref: str
    pin: str
    x: float
    y: float
    side: str | None


class Pad(Struct, frozen=True):
    """A part's pad. Through-hole pads carry `drill` > 0 and exist on both sides. Without a `barrel`, the hole is not
    plated: there is copper on `side` alone.

    `named` is False where no file names the pins: they are counted as drawn, and say nothing of which is pin 1.
    """

    ref: str
    pin: str
    side: str
    polygon: Polygon
    net: str | None
    drill: float = 0.0
    named: bool = True
    barrel: bool = True

    @property
    def name(self) -> str:
        return f"{self.ref}.{self.pin}"


class Part(Struct, frozen=True):
    """What placement list, bill of materials, catalogue and pads know of one reference designator."""

    ref: str
    x: float
    y: float
    rotation_deg: float
    side: str
    value: str
    package: Package
    part_number: str = ""
    populate: bool = True
    pads: tuple[Pad, ...] = ()
    turn_given: bool = True

    @property
    def joints(self) -> tuple[Pad, ...]:
        """Its pads, a lead once, whichever layers draw its land. With copper on both faces and no barrel between them,
        a lead is soldered below: most parts stand on top.
        """
        found: dict[object, Pad] = {}
        for n, pad in enumerate(self.pads):
            spot: object = n
            if pad.drill > 0:
                middle = pad.polygon.centroid
                spot = round(middle.x, 1), round(middle.y, 1)
            if spot not in found or (not pad.barrel and pad.side == "bottom"):
                found[spot] = pad
        return tuple(found.values())

    @property
    def pin_one(self) -> Pad | None:
        """The pad of pin 1 (of a diode its cathode), None where the files do not say which it is."""
        return next((p for p in self.pads if p.named and p.pin in ("1", "A1", "K")), None)

    @property
    def polarity(self) -> str:
        """``none``, ``known`` (pin 1 is on a pad) or ``unknown`` (no file says where, or whether it has one)."""
        if not self.package.polarised:
            return "none"
        return "known" if self.package.told and self.pin_one else "unknown"

    @property
    def through_hole(self) -> bool:
        return self.package.mount == "tht" or any(p.drill > 0 for p in self.pads)

    @property
    def populated(self) -> bool:
        """On a finished board: not a fiducial, test pad or hole, and not marked do-not-populate."""
        return self.populate and self.package.mount != "none"


class FileNote(Struct, frozen=True):
    """What a file was taken for, why, and how sure that is: stated, likely, guessed, chosen (by the user) or unknown.

    `kind` is the reader it went to, `revision` the one that it names, '' when it names none.
    """

    name: str
    role: str
    side: str | None
    because: str
    size: int
    sure: str = "likely"
    kind: str = "gerber"
    revision: str = ""


class Remark(Struct, frozen=True):
    """Something the reading of the files did on its own account: `rule` names the rule behind it."""

    rule: str
    subject: str
    says: Said
    advice: Said
    level: Level = Level.CARE
    missing: tuple[str, ...] = ()

    @property
    def text(self) -> str:
        """What it says, in the chosen units."""
        return worded(self.rule, self.says)


class Design(Struct, frozen=True, eq=False, dict=True):
    """Everything read from one design's files. `panel` is None when the files say nothing of a panel.

    Inner copper has the role ``inner`` and its number from the top, from 2 on, for a side. `copper_layers` is how
    many copper layers the files say the board has, 0 where none says.
    """

    name: str
    files: tuple[FileNote, ...]
    layers: tuple[Layer, ...]
    holes: tuple[Hole, ...]
    outline: Polygon
    placements: tuple[Placement, ...]
    bom: tuple[BomLine, ...]
    netpoints: tuple[NetPoint, ...]
    parts: tuple[Part, ...] = ()
    pads: tuple[Pad, ...] = ()
    panel: Panel | None = None
    remarks: tuple[Remark, ...] = field(default=())
    catalogue: Catalogue = STANDARD
    guessed_parts: bool = False
    copper_layers: int = 0

    def layer(self, role: str, side: str | None = None) -> Layer | None:
        return next((item for item in self.layers if item.role == role and item.side == side), None)

    @cached_property
    def part_by_ref(self) -> dict[str, Part]:
        return {part.ref: part for part in self.parts}
