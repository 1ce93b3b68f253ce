"""What could be better next time: a short list for the designer."""

from __future__ import annotations

import re

import shapely
from msgspec import Struct

from fusilex.core.design.model import Design, Part
from fusilex.core.design.outlines import package_outlines
from fusilex.core.overlay import without
from fusilex.core.panel.layout import Panel
from fusilex.core.quantities import amount
from fusilex.core.wording import Said, say, worded

RULE = "next.design"
EDGE_MM = 5.0
TALL_MM = 8.0

_EQUIVALENTS = (  # package wording or family, what surface-mount part does the same
    (r"\bDIP|\bPDIP", "SOIC of the same function"),
    (r"TO-?92", "SOT-23"),
    (r"TO-?220|TO-?247", "DPAK or D2PAK with copper as heat sink"),
    (r"HC-?49", "3.2 × 1.5 or 3.2 × 2.5 mm crystal"),
    (r"AXIAL.*(RES|R\b)|RESISTOR.*AXIAL|MF-?\d", "0805 or 1206 chip resistor"),
    (r"DO-?35|DO-?41", "SOD-123 or SMA diode"),
    (r"RADIAL|ELECTROLYTIC", "electrolytic can with pads"),
    (r"HEADER|PIN STRIP", "header with pads"),
    (r"SCREW TERMINAL|TERMINAL", "terminal block with pads, where the wire is not pulled"),
    (r"REED", "reed switch in a surface-mount body"),
    (r"LED ?[35]", "0603 or 0805 light-emitting diode"),
    (r"TACT|PUSH", "surface-mount push button"),
)
_BY_FAMILY = {
    "resistor": "chip resistor",
    "capacitor": "chip capacitor",
    "diode": "SOD-123 diode",
    "led": "0603 light-emitting diode",
    "ic": "SOIC",
    "transistor": "SOT-23",
    "reed": "reed switch in a surface-mount body",
    "terminal": "terminal block with pads, where the wire is not pulled",
    "crystal": "3.2 × 1.5 mm crystal",
}


class Suggestion(Struct, frozen=True):
    """One line for the designer: what, about which part (or the board), and why it costs time now."""

    kind: str
    ref: str
    better: Said
    because: Said

    @property
    def text(self) -> str:
        """What would be better, in the chosen units."""
        return worded(RULE, self.better)

    @property
    def why(self) -> str:
        """Why it costs time now, in the chosen units."""
        return worded(RULE, self.because)


def suggestions(design: Design, panel: Panel | None) -> list[Suggestion]:
    """Everything that would make the next revision easier to assemble, most costly first."""
    fitted = [p for p in design.parts if p.populated]
    found = _fiducials(design, panel)
    found += [s for p in fitted if (s := _through_hole(p)) is not None]
    found += [s for p in fitted if (s := _nozzle(p)) is not None]
    found += _edges(design, fitted, panel)
    return found


def _fiducials(design: Design, panel: Panel | None) -> list[Suggestion]:
    found = []
    for side in ("top", "bottom"):
        smd = [p for p in design.parts if p.populated and p.side == side and not p.through_hole]
        marks = [p for p in design.parts if p.package.family == "fiducial" and p.side == side]
        if len(smd) >= 4 and len(marks) < 2:
            better, because = say("two fiducials", side=side), say("parts as references", there=len(marks))
            found.append(Suggestion("fiducial", side, better, because))
    if panel is not None and panel.count > 1 and len(panel.fiducials) < 3:
        because = say("every board taught", there=len(panel.fiducials))
        found.append(Suggestion("fiducial", "panel", say("three on the rails"), because))
    return found


def _through_hole(part: Part) -> Suggestion | None:
    if not part.through_hole:
        return None
    text = f"{part.package.code} {part.value}".upper().replace("_", " ")
    other = next((w for pattern, w in _EQUIVALENTS if re.search(pattern, text)), _BY_FAMILY.get(part.package.family))
    if other is None:
        return None
    return Suggestion("through-hole", part.ref, say("other part", ref=part.ref, other=other), say("by hand now"))


def _nozzle(part: Part) -> Suggestion | None:
    """Parts a nozzle cannot hold: no flat top, too tall, or too small for a benchtop machine."""
    if part.through_hole:
        return None
    if part.package.family == "connector" and "CAP" not in part.package.code.upper():
        return Suggestion("nozzle", part.ref, say("pick-up cap", ref=part.ref), say("no flat top"))
    if part.package.height > TALL_MM:
        high = say("too high", height=amount(part.package.height, "mm"))
        return Suggestion("nozzle", part.ref, say("lower part", ref=part.ref), high)
    if part.package.size_x * part.package.size_y < 0.1:
        small = say("too small", length=amount(part.package.size_x, "mm"), width=amount(part.package.size_y, "mm"))
        return Suggestion("nozzle", part.ref, say("larger part", ref=part.ref), small)
    return None


def _edges(design: Design, fitted: list[Part], panel: Panel | None) -> list[Suggestion]:
    """Parts that overhang into the rail or the neighbour, and ceramic capacitors near an edge that is scored or
    broken.
    """
    x0, y0, x1, y1 = design.outline.bounds
    shapes = package_outlines(fitted)
    found = []
    for part, shape in zip(fitted, shapes, strict=True):
        beyond = without(shape, design.outline)
        if beyond.area > 0.02:
            bx0, by0, bx1, by1 = beyond.bounds
            over = max(x0 - bx0, bx1 - x1, y0 - by0, by1 - y1)
            case = "blocks the cutter" if panel is not None and panel.count > 1 else "overhangs"
            because = say(case, over=amount(over, "mm"))
            found.append(Suggestion("edge", part.ref, say("slot in the rail", ref=part.ref), because))
    if panel is None or panel.count < 2:
        return found
    edge = design.outline.exterior
    for part, shape in zip(fitted, shapes, strict=True):
        ceramic = part.package.family == "capacitor" and not part.package.polarised
        if ceramic and (away := float(shapely.distance(shape, edge))) < EDGE_MM:
            cracks = say("may crack", away=amount(away, "mm"))
            found.append(Suggestion("edge", part.ref, say("further from the edge", ref=part.ref), cracks))
    return found
