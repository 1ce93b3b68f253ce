"""Turns that the pads contradict, as findings: a whole side counted otherwise, a list without turns, one part out of
line.
"""

from __future__ import annotations

from fusilex.core.checks.findings import Finding
from fusilex.core.checks.fixes import Fix
from fusilex.core.checks.rotations import OddTurn, TurnFit, fit_turns, kinds_of, odd_turns
from fusilex.core.design.model import Design, Part
from fusilex.core.judgement import Because, Level


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
        f"The {fit.side} turns are off as a whole: {fit.convention.words}",
        because=(
            Because("lie like their kind as listed", fit.before, f"of {fit.n}"),
            Because("corrected", fit.after, f"of {fit.n}"),
            *((Because("clockwise or not is not told for", ", ".join(either_way)),) if either_way else ()),
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
        f"No turns are given, and {len(odd)} part{'s lie' if len(odd) > 1 else ' lies'} otherwise than most of their"
        " kind",
        level=Level.CARE,
        because=(Because("parts", ", ".join(list(turns)[:6]) + (" …" if len(turns) > 6 else "")),),
        fix=Fix("rotations", "", {"rotations": turns}, "turns taken from the pads, as most of each kind lie"),
        refs=tuple(turns),
    )


def _odd(o: OddTurn) -> Finding:
    text = f"{o.part.ref} is listed turned {o.part.rotation_deg:g}°, its pads say {o.turn:g}°"
    names = ", ".join(o.others[:4]) + (" …" if len(o.others) > 4 else "")
    return Finding(
        "rotation",
        o.part.ref,
        "pads",
        text,
        o.part.x,
        o.part.y,
        Level.STOP if o.sure else Level.CARE,
        because=(Because("of its kind otherwise" if o.sure else "either it or", names),),
        fix=Fix("rotations", o.part.ref, {"rotations": {o.part.ref: o.turn}}, f"{o.part.ref} turned {o.turn:g}°"),
    )
