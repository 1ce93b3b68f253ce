"""Turns that the pads contradict, as findings: a whole side counted otherwise, a list without turns, one part out of
line.
"""

from __future__ import annotations

from fusilex.core.checks.findings import Finding
from fusilex.core.checks.fixes import Fix
from fusilex.core.checks.rotations import OddTurn, TurnFit, fit_turns, kinds_of, odd_turns
from fusilex.core.design.model import Design, Part
from fusilex.core.judgement import Level
from fusilex.core.quantities import Quantity, amount
from fusilex.core.wording import listed, say


def turn_findings(design: Design) -> list[Finding]:
    """The one fault that explains most wrong turns where there is one, else every part that lies otherwise than its
    kind.
    """
    if design.guessed_parts:
        return []
    kinds = kinds_of([p for p in design.parts if p.package.mount != "none" and _on_its_side(p)])
    if len(design.placements) > 1 and not any(p.rotation_deg % 360 for p in design.placements):
        odd = odd_turns(kinds, share=0.0)
        return [_no_turns(odd)] if odd else []
    if fits := fit_turns(kinds):
        return [_convention(design, fit) for fit in fits]
    return [_odd(o) for o in odd_turns(kinds)]


def _on_its_side(part: Part) -> bool:
    return not part.pads or any(p.drill > 0 or p.side == part.side for p in part.pads)


def _convention(design: Design, fit: TurnFit) -> Finding:
    here = [p for p in design.placements if p.side == fit.side]
    turns = {p.ref: fit.convention.turn(p.rotation_deg) for p in here}
    either_way = () if fit.sense else tuple(p.ref for p in here if p.rotation_deg % 180)
    return Finding(
        "rotations",
        f"{fit.side} turns",
        "placements",
        say("all off", side=fit.side, how=fit.convention.says),
        quantities=(
            Quantity("like their kind as listed", f"{fit.before} of {fit.n}"),
            Quantity("corrected", f"{fit.after} of {fit.n}"),
            *((Quantity("direction not known for", ", ".join(either_way)),) if either_way else ()),
        ),
        fix=Fix("rotations", "", {"rotations": turns}, f"the {fit.side} turns read as {fit.convention.words}"),
        refs=tuple(turns),
    )


def _no_turns(odd: list[OddTurn]) -> Finding:
    turns = {o.part.ref: o.turn for o in odd}
    return Finding(
        "rotations",
        "no turns",
        "placements",
        say("none given", parts=len(odd)),
        level=Level.CARE,
        quantities=(Quantity("parts", listed(list(turns), 6)),),
        fix=Fix("rotations", "", {"rotations": turns}, "turns taken from the pads, as most of each kind lie"),
        refs=tuple(turns),
    )


def _odd(o: OddTurn) -> Finding:
    says = say("differs", ref=o.part.ref, listed=amount(o.part.rotation_deg, "°"), pads=amount(o.turn, "°"))
    names = listed(o.others, 4)
    return Finding(
        "rotation",
        o.part.ref,
        "pads",
        says,
        o.part.x,
        o.part.y,
        Level.STOP if o.sure else Level.CARE,
        quantities=(Quantity("others of its kind" if o.sure else "either it or", names),),
        fix=Fix("rotations", o.part.ref, {"rotations": {o.part.ref: o.turn}}, f"{o.part.ref} turned {o.turn:g}°"),
    )
