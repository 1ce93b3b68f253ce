"""Which side first: masses, and whether a part hangs on its solder when the board goes through the oven upside down."""

from __future__ import annotations

from functools import lru_cache

from msgspec import Struct

from fusilex.core.design.model import Design, Part
from fusilex.core.evidence import Coverage, Level, every, seen, weigh
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

DROP_LIMIT_MG_PER_MM2 = 46.5
"""30 g per square inch of wetted pad, the widely used rule of thumb: 0.0465 g/mm²."""
CARE_SHARE = 0.7
MASS_OFF = {"typical": 1.0, "workshop": 1.0, "volume": 1.5}
GUESSED_OFF = 4.0
"""A mass from a body's volume may be off by this factor, one of a guessed size by that."""
SIDE_ORDERS = {
    "lighter-first": "lighter side first, then flip and trust surface tension",
    "glued": "heavier side first, the flipped side held by glue or a carrier",
    "hand": "one side on paste, the other soldered by hand",
}


class DropCheck(Struct, frozen=True):
    """A part hanging upside down: mass (mg), wetted pad area (mm²), and how much of the limit that uses."""

    part: Part
    area_mm2: float

    @property
    def load(self) -> float:
        """Mass over wetted area, mg/mm²."""
        return self.part.package.mass_mg / self.area_mm2

    @property
    def share(self) -> float:
        return self.load / DROP_LIMIT_MG_PER_MM2

    @property
    def level(self) -> Level:
        off = self.mass_off
        return weigh((self.share / off, self.share * off), (0.0, CARE_SHARE), [every("parts", 1)], hard=(0.0, 1.0))

    @property
    def mass_off(self) -> float:
        """By which factor its mass may be off."""
        package = self.part.package
        return MASS_OFF[package.mass_from] if package.known else GUESSED_OFF


class SideLoad(Struct, frozen=True):
    """The surface-mount parts of one side: count, mass (mg), their drop checks, worst first, and parts whose pads
    nobody knows.
    """

    side: str
    parts: int
    mass_mg: float
    checks: tuple[DropCheck, ...]
    untold: tuple[Part, ...] = ()

    @property
    def worst(self) -> DropCheck | None:
        return self.checks[0] if self.checks else None


@lru_cache(maxsize=4)
def side_load(design: Design, side: str) -> SideLoad:
    """Masses and drop checks of a side's surface-mount parts; what a part without pads of that side hangs by is not
    told.
    """
    parts = [p for p in design.parts if p.populated and p.side == side and not p.through_hole]
    checks = [DropCheck(p, sum(x.polygon.area for x in p.pads if x.drill == 0 and x.side == side)) for p in parts]
    hanging = sorted((c for c in checks if c.area_mm2 > 0), key=lambda c: -c.share)
    untold = tuple(c.part for c in checks if c.area_mm2 <= 0)
    return SideLoad(side, len(parts), sum(p.package.mass_mg for p in parts), tuple(hanging), untold)


def first_side(top: SideLoad, bottom: SideLoad, school: str = "lighter-first") -> str:
    """The side to print first. Raises KeyError for a school that does not exist.

    Lighter first: the side whose worst part hangs more safely, and of equals the lighter one. Glued: the other one.
    By hand: the side with more parts goes on paste.
    """
    SIDE_ORDERS[school]
    if not top.parts or not bottom.parts:
        return "bottom" if bottom.parts else "top"
    if school == "hand":
        return "top" if top.parts >= bottom.parts else "bottom"
    ranked = sorted((top, bottom), key=lambda s: (round(s.worst.share, 3) if s.worst else 0.0, s.mass_mg))
    return ranked[0 if school == "lighter-first" else 1].side


def judge_sides(design: Design, school: str) -> list[Judgement]:
    """The order to take with its reason, and every part that would not hold by itself in that order."""
    top, bottom = side_load(design, "top"), side_load(design, "bottom")
    if not top.parts or not bottom.parts:
        side = "bottom" if bottom.parts else "top"
        parts = (every("parts", (top if top.parts else bottom).parts),)
        return [Judgement("ready.sides", seen(*parts), "sides", say("one side", side=side), coverage=parts)]
    first = first_side(top, bottom, school)
    other = "bottom" if first == "top" else "top"
    loads = {"top": top, "bottom": bottom}
    reasons = tuple(
        Quantity(f"{s}: {loads[s].parts} parts, worst {w.part.ref}, of the limit", round(100 * w.share), "%")
        for s in ("top", "bottom")
        if (w := loads[s].worst)
    )
    known = sum(c.part.package.known for load in (top, bottom) for c in load.checks)
    parts = (Coverage("bodies", known, top.parts + bottom.parts),)
    if school == "hand":
        parts = (every("parts", top.parts + bottom.parts),)
        text = say("by hand", first=first, other=other)
        return [Judgement("ready.sides", seen(*parts), "sides", text, reasons, coverage=parts)]
    held = school == "glued"
    level, do = (Level.CARE, say("hold it", first=first, other=other)) if held else (seen(*parts), None)
    unknown = tuple(c.part.ref for load in (top, bottom) for c in load.checks if not c.part.package.known)
    missing = ("mass and pads of these parts",) if level is Level.UNKNOWN else ()
    refs = unknown if missing else ()
    text = say("flip", first=first)
    found = [Judgement("ready.sides", level, "sides", text, reasons, do, refs, missing, parts)]
    return found if held else [*found, *judge_hanging(design, first)]


def judge_hanging(design: Design, side: str) -> list[Judgement]:
    """Every part of a side that would not hold by itself upside down, or of which nobody can tell."""
    load = side_load(design, side)
    found = [_drop(check) for check in load.checks if check.level is not Level.GO]
    if load.untold:
        refs = tuple(p.ref for p in load.untold)
        text, do, missing = say("no pads"), say("correct the list"), ("pads of that side",)
        numbers = (Quantity("parts", len(refs)),)
        found.append(Judgement("ready.drop", Level.UNKNOWN, "pads not known", text, numbers, do, refs, missing))
    return found


def _drop(check: DropCheck) -> Judgement:
    part = check.part
    source = {"typical": "typical mass", "volume": "mass from volume, an estimate", "workshop": "mass weighed here"}
    return Judgement(
        "ready.drop",
        check.level,
        part.ref,
        say("drops" if check.level is Level.STOP else "near the limit" if check.level is Level.CARE else "may drop"),
        (
            Quantity(source[part.package.mass_from], round(part.package.mass_mg / 1000, 3), "g"),
            Quantity("wetted pads", round(check.area_mm2, 2), "mm²"),
            Quantity("of the limit", round(100 * check.share), "%"),
        ),
        say("print this side last"),
        (part.ref,),
        ("its mass",) if check.level is Level.UNKNOWN else (),
    )
