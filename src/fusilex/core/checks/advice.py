"""What could be better next time: a short list for the designer."""

from __future__ import annotations

import re

import shapely
from msgspec import Struct

from fusilex.core.design.model import Design, Part
from fusilex.core.design.outlines import package_outlines
from fusilex.core.overlay import without
from fusilex.core.panel.layout import Panel

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
    text: str
    why: str


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
            there = "none" if not marks else "one"
            found.append(
                Suggestion(
                    "fiducial",
                    side,
                    f"Two fiducials on the {side}, far apart",
                    f"{there} there; parts have to serve as references",
                )
            )
    if panel is not None and panel.count > 1 and len(panel.fiducials) < 3:
        found.append(
            Suggestion(
                "fiducial",
                "panel",
                "Three fiducials on the rails",
                f"{len(panel.fiducials)} there; every board has to be taught",
            )
        )
    return found


def _through_hole(part: Part) -> Suggestion | None:
    if not part.through_hole:
        return None
    text = f"{part.package.code} {part.value}".upper().replace("_", " ")
    other = next((w for pattern, w in _EQUIVALENTS if re.search(pattern, text)), _BY_FAMILY.get(part.package.family))
    if other is None:
        return None
    return Suggestion("through-hole", part.ref, f"{part.ref}: {other}", "soldered by hand on every board now")


def _nozzle(part: Part) -> Suggestion | None:
    """Parts a nozzle cannot hold: no flat top, too tall, or too small for a benchtop machine."""
    if part.through_hole:
        return None
    if part.package.family == "connector" and "CAP" not in part.package.code.upper():
        return Suggestion(
            "nozzle",
            part.ref,
            f"{part.ref}: order it with a pick-up cap or film",
            "an open top gives a nozzle nothing to hold",
        )
    if part.package.height > TALL_MM:
        return Suggestion(
            "nozzle",
            part.ref,
            f"{part.ref}: a lower part",
            f"{part.package.height:g} mm high, more than most small heads clear",
        )
    if part.package.size_x * part.package.size_y < 0.1:
        return Suggestion(
            "nozzle",
            part.ref,
            f"{part.ref}: 0402 or larger",
            f"{part.package.size_x:g} × {part.package.size_y:g} mm is too small for a benchtop nozzle",
        )
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
            why = (
                f"overhangs by {over:.1f} mm: the score wheel cannot pass there"
                if panel is not None and panel.count > 1
                else f"overhangs by {over:.1f} mm: mind the tray and the clamp"
            )
            found.append(Suggestion("edge", part.ref, f"{part.ref}: a gap or a slot in the rail beside it", why))
    if panel is None or panel.count < 2:
        return found
    edge = design.outline.exterior
    for part, shape in zip(fitted, shapes, strict=True):
        ceramic = part.package.family == "capacitor" and not part.package.polarised
        if ceramic and (away := float(shapely.distance(shape, edge))) < EDGE_MM:
            found.append(
                Suggestion(
                    "edge",
                    part.ref,
                    f"{part.ref}: further from the edge, or along it",
                    f"may crack: ceramic, {away:.1f} mm from a cut",
                )
            )
    return found
