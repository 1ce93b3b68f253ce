"""Turns that the pads contradict, as findings: a whole side counted otherwise, a list without turns, one part out of
line.
"""

from __future__ import annotations

from fusilex.core.checks.findings import Finding
from fusilex.core.checks.fixes import Fix
from fusilex.core.checks.pin_ones import OddPin, pin_ones, quarter_of
from fusilex.core.checks.rotations import OddTurn, TurnFit, fit_turns, kinds_of, odd_turns
from fusilex.core.design.model import Design, Part
from fusilex.core.evidence import Level
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
    ones = pin_ones(design.parts)
    if ones.all_turned:
        others = any(quarter_of(p) == "A" and p.package.polarised for p in ones.untold)
        return [_all_turned(design, ones.all_turned, others)]
    found = [_odd(o) for o in odd_turns(kinds)]
    named = {f.ref for f in found}
    return [*found, *(_odd_pin(o) for o in ones.odd if o.part.ref not in named)]


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


def _all_turned(design: Design, parts: tuple[Part, ...], others: bool) -> Finding:
    """Half a turn for the whole list, or for these parts alone where others lie as they should."""
    refs = {p.ref for p in (parts if others else design.placements)}
    turns = {p.ref: (p.rotation_deg + 180) % 360 for p in design.placements if p.ref in refs}
    return Finding(
        "rotations",
        "pin 1",
        "placements",
        say("some half a turn off" if others else "half a turn off", parts=len(parts)),
        quantities=(Quantity("pin 1 on the right at 0°", listed([p.ref for p in parts], 6)),),
        fix=Fix("rotations", "", {"rotations": turns}, f"{listed([p.ref for p in parts], 4)} half a turn further"),
        refs=tuple(turns),
    )


def _odd_pin(o: OddPin) -> Finding:
    part = o.part
    return Finding(
        "rotation",
        part.ref,
        "pads",
        say("pin 1 elsewhere", ref=part.ref, listed=amount(part.rotation_deg, "°"), others=amount(o.turn, "°")),
        part.x,
        part.y,
        Level.STOP if o.sure else Level.CARE,
        fix=Fix("rotations", part.ref, {"rotations": {part.ref: o.turn}}, f"{part.ref} turned {o.turn:g}°"),
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
