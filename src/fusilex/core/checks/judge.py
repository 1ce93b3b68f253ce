"""Findings about a design's files as judgements."""

from __future__ import annotations

from fusilex.core.checks.findings import Finding
from fusilex.core.checks.panelised import judge_board_size
from fusilex.core.checks.pin_ones import PinOnes, pin_ones
from fusilex.core.checks.polarity import judge_polarity
from fusilex.core.design.model import Design
from fusilex.core.evidence import Coverage, Level, covered, every, seen
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import listed, say

_DO = {
    "panel": "Apply it with A: one board is judged, and the panel is kept as it is stepped.",
    "layers": "Apply it with A and look at the board again; better, have all files exported from one origin.",
    "systematic": "Look at before and after on the board, then apply it with A; check pin 1 of one chip.",
    "rotations": "Look at the lines to pin 1 on the board, apply it with A, then check pin 1 of one chip.",
    "size-code": "Measure one part of the reel, then apply the reading that fits with A.",
    "size": "Measure a part and a pad; A takes what the pads fit. Parts of the wrong size are bought for nothing.",
    "renamed": "If it is the one part, apply it with A; a new number may come with another value, so ask.",
    "missing": "Ask the designer which list is right before buying or placing.",
    "doubled": "Strike the line that is wrong.",
    "side": "Correct the side in the placement list.",
    "off-board": "Check the origin and unit of the placement list.",
    "populate": "Ask whether it is fitted; A leaves it out of the pull list and off the board.",
    "rotation": "Look at pin 1 on the board, then apply what the pads say with A.",
    "overlap": "Look at both footprints on the board.",
    "two-lines": "Buy it once: apply with A, or leave both if they are meant to differ.",
    "quantity": "Count the designators and correct the line.",
}


def judge_files(design: Design, findings: list[Finding]) -> list[Judgement]:
    """One judgement per finding, or one go when all files agree; one for each thing that could not be checked."""
    found = [*(_judged(f) for f in findings), *judge_board_size(design, design.panel)]
    if not design.bom:
        found.append(
            Judgement(
                "ready.missing",
                Level.UNKNOWN,
                "bill of materials",
                say("no BOM"),
                (),
                say("add it"),
                missing=("bill of materials",),
            )
        )
    fitted = [p for p in design.parts if p.populated]
    ones = pin_ones(design.parts)
    listed_turns = Coverage("turns", sum(p.turn_given for p in fitted), len(fitted))
    told = Coverage("turns told twice", len(ones.told), len(ones.told) + len(ones.odd) + len(ones.untold))
    counted = Coverage("quantities", sum(b.quantity is not None for b in design.bom), len(design.bom))
    agreed = (every("parts", len(fitted)), listed_turns, *([told] if told.of else []))
    if design.bom and not counted.seen:
        text, missing = say("none listed"), ("quantities",)
        found.append(
            Judgement("ready.quantity", Level.UNKNOWN, "quantities", text, missing=missing, coverage=(counted,))
        )
    if not found and covered(agreed):
        found.append(
            Judgement(
                "ready.agree",
                seen(*agreed),
                design.name,
                say("agree"),
                (
                    Quantity("parts", len(fitted)),
                    Quantity("lines", len(design.bom)),
                    Quantity("pads", len(design.pads)),
                ),
                coverage=agreed,
            )
        )
    if ones.untold:
        found.append(_untold(ones))
    found += [Judgement(r.rule, r.level, r.subject, r.says, (), r.advice, missing=r.missing) for r in design.remarks]
    found += judge_polarity(fitted)
    guessed = [p.ref for p in fitted if not p.package.known]
    if guessed:
        found.append(
            Judgement(
                "ready.package",
                Level.CARE,
                "bodies",
                say("not in the catalogue", packages=len(guessed)),
                (Quantity("parts", listed(guessed, 6)),),
                say("check their size"),
                tuple(guessed),
            )
        )
    return found


def _untold(ones: PinOnes) -> Judgement:
    """Parts whose turn no second thing confirms, or that no file turns at all."""
    bare = [p.ref for p in ones.untold if not p.turn_given]
    refs = bare or [p.ref for p in ones.untold]
    turns = (Coverage("turns", len(ones.told), len(ones.told) + len(ones.odd) + len(ones.untold)),)
    text = say("in no file" if bare else "in the list alone", parts=len(refs))
    missing = ("how these parts lie",) if bare else ("pin names on the copper",)
    numbers = (Quantity("parts", listed(refs, 6)),)
    do = say("find their pin 1")
    return Judgement("ready.turns", Level.UNKNOWN, "turns", text, numbers, do, tuple(refs), missing, turns)


def _judged(f: Finding) -> Judgement:
    where = (
        ()
        if f.x is None or f.y is None
        else (Quantity("at x", round(f.x, 2), "mm"), Quantity("y", round(f.y, 2), "mm"))
    )
    return Judgement(f.rule, f.level, f.ref, f.says, (*f.quantities, *where), say("act"), f.refs or (f.ref,))
