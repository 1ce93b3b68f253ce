"""A route proposed from the design: what stands on which side, what would drop, what the workshop owns."""

from __future__ import annotations

from msgspec import Struct

from fusilex.core.checks.side_order import DropCheck, SideLoad, first_side, side_load
from fusilex.core.design.hidden_joints import hidden_parts
from fusilex.core.design.model import Design
from fusilex.core.evidence import Level
from fusilex.core.route.steps import ASIDE, FIRST, LAST, METHODS, Step, Steps
from fusilex.core.soldering.handwork import soldering

FEW_PARTS = 8
"""Up to so many parts the second side may be sooner soldered with the iron than printed, placed and run again."""
SECOND_MIN, PANEL_MIN, PART_S = 60.0, 6.0, 8.0
"""What a second side on paste takes: its stencil set up and cleaned, each panel printed and run, each part placed."""
SYRINGE_PARTS = 20
"""Up to as many parts, with no pitch finer than `SYRINGE_PITCH_MM`, a syringe is sooner done than a stencil made."""
SYRINGE_PITCH_MM = 0.8


class Ways(Struct, frozen=True):
    """The ways this workshop has of printing, placing and reflowing."""

    printing: str = "stencil"
    placing: str = "hand"
    reflowing: str = "controlled oven"


def usual_order(design: Design, boards: int) -> str:
    """The order of sides to propose for so many boards: by iron where that is less work or where no order lets all
    parts hold.

    Two sides on paste are proposed, lighter side first, when nothing on the first would drop, or might, and the second
    has more than `FEW_PARTS` parts, joints that no iron reaches, or takes longer by iron.
    """
    top, bottom = side_load(design, "top"), side_load(design, "bottom")
    fewer = min(top, bottom, key=lambda load: load.parts)
    if fewer.parts <= FEW_PARTS and iron_suits(design, fewer.side, boards):
        return "hand"
    first = top if first_side(top, bottom, "lighter-first") == "top" else bottom
    safe = not first.untold and all(c.level not in (Level.STOP, Level.UNKNOWN) for c in first.checks)
    return "lighter-first" if safe else "hand"


def iron_suits(design: Design, side: str, boards: int) -> bool:
    """True where the iron reaches every joint of a side and takes no longer than a second print, over all boards."""
    parts = [p for p in design.parts if p.populated and p.side == side and not p.through_hole]
    if any(p in parts for p in hidden_parts(design)):
        return False
    panels = -(-boards // max(len(design.panel.cells), 1)) if design.panel else boards
    by_iron = boards * sum(soldering(p).seconds for p in parts) / 60
    return by_iron <= SECOND_MIN + panels * PANEL_MIN + boards * len(parts) * PART_S / 60


def usual_ways(design: Design) -> Ways:
    """The ways to propose: a syringe where that is sooner done than a stencil is made."""
    sides = [s for s in ("top", "bottom") if side_load(design, s).parts]
    return Ways("syringe" if sides and all(syringe_suits(design, s) for s in sides) else "stencil")


def propose(design: Design, order: str, ways: Ways | None = None) -> Steps:
    """The route for an order of sides (``lighter-first``, ``glued`` or ``hand``), each step with its reason.

    Raises KeyError for an order that does not exist. Sides without surface-mount parts get no paste; a board without
    any goes to the iron at once, one without anything for the iron does not go there.
    """
    ways = ways or usual_ways(design)
    loads = {side: side_load(design, side) for side in ("top", "bottom")}
    first = first_side(loads["top"], loads["bottom"], order)
    second = "bottom" if first == "top" else "top"
    pasted = [s for s in (first, second) if loads[s].parts]
    by_iron = pasted[1:] if order == "hand" else []
    pasted = [s for s in pasted if s not in by_iron]
    made = _Made()
    made.add(FIRST[0], why="The files are one revision and say what is to be built")
    made.add(FIRST[1], why="Every part is in a bin before paste is out")
    for n, side in enumerate(pasted):
        made.add("Print", side, ways.printing, _why_here(n, side, len(pasted), order, loads))
        made.add("Place", side, ways.placing, f"{_parts(loads[side].parts)} of the {side} onto wet paste")
        hanging = _worst_hanging(loads[first]) if n else ""
        made.add("Reflow", side, ways.reflowing, hanging or f"One heat for the {side}")
        if n + 1 < len(pasted):
            made.add("Inspect", side, why=f"The {side} is mended before it hangs below")
    leads = sum(p.populated and p.through_hole for p in design.parts)
    if leads or by_iron:
        said = [_parts(leads, "leaded part")] if leads else []
        said += [f"{_parts(loads[s].parts)} on the {s}, {_why_iron(loads[s])}" for s in by_iron]
        made.add("Hand", "both", why="; ".join(said))
    made.add("Inspect", "both", why="Eyes over every joint while mending is easy")
    made.add(ASIDE, "both", why="Only for boards with a fault")
    made.add("Test", "both", why="Shorts are found before power is on")
    made.add(LAST, "both", why="Out of the panel, into the bag, with its papers")
    return Steps(tuple(made.steps))


class _Made:
    """Steps as they are added, each with an id of its own."""

    def __init__(self) -> None:
        self.steps: list[Step] = []

    def add(self, station: str, side: str = "", method: str = "", why: str = "") -> None:
        id = Steps(tuple(self.steps)).free_id(station)
        self.steps.append(Step(id, station, side, method or METHODS[station][0], why=why))


def _parts(count: int, what: str = "part") -> str:
    return f"{count} {what}{'s' if count != 1 else ''}"


def _why_here(n: int, side: str, sides: int, order: str, loads: dict[str, SideLoad]) -> str:
    load = loads[side]
    if sides == 1:
        return f"{_parts(load.parts)} on the {side} go on paste"
    if n:
        return f"{_parts(load.parts)} on the {side}, the other side hangs below"
    if order == "glued":
        return f"The heavier side first: {load.mass_mg / 1000:.2f} g, glued or in a carrier before it is turned"
    worst = load.worst
    holds = f", at most {100 * worst.share:.0f} % of what solder holds" if worst else ""
    return f"The side that hangs more safely: {load.mass_mg / 1000:.2f} g{holds}"


def _worst_hanging(load: SideLoad) -> str:
    worst = load.worst
    return f"{worst.part.ref} hangs below, at {100 * worst.share:.0f} % of the limit" if worst else ""


def _why_iron(load: SideLoad) -> str:
    if 0 < load.parts <= FEW_PARTS:
        return "too few for a second print"
    heavy: DropCheck | None = load.worst
    return f"{heavy.part.ref} would drop" if heavy and heavy.level is Level.STOP else "as chosen"


def syringe_suits(design: Design, side: str) -> bool:
    """True where dots from a syringe are sooner done than a stencil: few parts, no fine pitch."""
    parts = [p for p in design.parts if p.populated and p.side == side and not p.through_hole]
    centres = [[x.polygon.centroid for x in p.pads if x.side == side] for p in parts]
    finest = min((a.distance(b) for pads in centres for i, a in enumerate(pads) for b in pads[i + 1 :]), default=9.0)
    return 0 < len(parts) <= SYRINGE_PARTS and finest >= SYRINGE_PITCH_MM
