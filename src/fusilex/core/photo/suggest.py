"""From two photographs to suggestions: each is brought into the board's frame, then compared part by part."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from fusilex.core.design.model import Design, Part
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.core.photo.compare import SAME, THERE, UNSEEN, Difference, compare
from fusilex.core.photo.drawn import draw
from fusilex.core.photo.frame import Frame, Picture
from fusilex.core.photo.register import Reference, flattened
from fusilex.core.progress import Step, part_of, quiet
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

QUIET = (SAME, THERE, UNSEEN)
"""Verdicts that suggest nothing to look at."""
MOST_NAMED = 6


class Compared(Struct, frozen=True, eq=False):
    """Both pictures in the frame (the good one may be the drawing), and what differs, the gravest first."""

    frame: Frame
    good: Picture
    photo: Picture
    drawn: bool
    differences: tuple[Difference, ...]

    @property
    def suggested(self) -> list[Difference]:
        return [d for d in self.differences if d.verdict not in QUIET]

    @property
    def unseen(self) -> list[Difference]:
        return [d for d in self.differences if d.verdict == UNSEEN]


def as_drawn(design: Design, side: str, parts: Sequence[Part]) -> Reference:
    """The drawn board, to hold a picture against."""
    frame = Frame(design, side)
    return Reference(frame, draw(frame, [p for p in parts if p.populated]), drawn=True)


def straightened(picture: Picture, design: Design, side: str, parts: Sequence[Part]) -> Picture:
    """A photograph brought into the frame by the drawn board alone. Raises `NotFound`."""
    return flattened(picture, as_drawn(design, side, parts))


def suggest(
    design: Design,
    side: str,
    parts: Sequence[Part],
    photo: Picture,
    good: Sequence[Picture] = (),
    step: Step = quiet,
) -> Compared:
    """What differs on a photograph from good boards' (each in the frame already), or from the drawn board without any.
    Raises `NotFound` where the board is not found in it.
    """
    reference = Reference(Frame(design, side), good[0]) if good else as_drawn(design, side, parts)
    step(0.02, "looking for the board")
    flat = flattened(photo, reference)
    step(0.3, "comparing")
    found = compare(
        reference.frame, reference.picture, flat, parts, good[1:], drawn=not good, step=part_of(step, 0.3, 1.0)
    )
    return Compared(reference.frame, reference.picture, flat, not good, tuple(found))


def judge_photo(compared: Compared, subject: str) -> Judgement:
    """What a picture suggests. It proves nothing: what it does not show, eyes and meter tell."""
    found, unseen = compared.suggested, compared.unseen
    numbers = tuple(Quantity(d.ref, d.verdict) for d in found[:MOST_NAMED])
    if unseen:
        numbers += (Quantity("not seen", ", ".join(d.ref for d in unseen[:MOST_NAMED])),)
    refs = tuple(d.ref for d in found)
    if found:
        text = say("differs", parts=len(found))
        return Judgement("inspect.photo", Level.CARE, subject, text, numbers, say("magnify each"), refs)
    missing = ("an inspection by eye",)
    text, do = say("no difference to the drawing" if compared.drawn else "no difference"), say("inspect by eye")
    return Judgement("inspect.photo", Level.UNKNOWN, subject, text, numbers, do, (), missing)
