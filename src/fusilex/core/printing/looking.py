"""Looking at a print: which parts first, on a short way, and whether what was seen means go on or wipe."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import numpy as np
from msgspec import Struct
from numpy.typing import ArrayLike

from fusilex.core.evidence import Coverage, Level, seen
from fusilex.core.judgement import Judgement
from fusilex.core.printing.apertures import AREA_GO, ASPECT_GO, Apertures
from fusilex.core.printing.risks import Risks
from fusilex.core.quantities import Quantity
from fusilex.core.tours import length, short_path
from fusilex.core.wording import say

FEW = 12
"""Parts on the way over the risky few; a look at each takes some seconds."""
FINE_WIDTH_MM, FINE_WEB_MM, NEAR_WEB_MM = 0.30, 0.30, 0.50
WORDS = ("none", "little", "much", "bridged", "smeared", "off")
"""What a deposit may look like when it is not good."""
FORGIVEN = ("little", "much", "bridged", "smeared", "off")
"""On big pads far apart: molten solder draws back from bare mask onto its pad."""


class Mark(Struct, frozen=True):
    """What was seen at a part, or at one of its apertures where `pin` is named."""

    ref: str
    pin: str
    word: str


class LookOrder(Struct, frozen=True, eq=False):
    """Parts to look at in order, where they are (n × 2, mm), and the way over them (mm)."""

    refs: tuple[str, ...]
    at: np.ndarray
    path_mm: float


def fine_parts(apertures: Apertures, web: ArrayLike, most_web: float | None = None) -> set[str]:
    """Parts that do not forgive: an aperture up to 0.3 mm wide, or a web up to `most_web` (mm) between two."""
    most_web = FINE_WEB_MM if most_web is None else most_web
    fine = (apertures.width <= FINE_WIDTH_MM + 1e-6) | (np.asarray(web) <= most_web + 1e-6)
    return {ref for ref, strict in zip(apertures.refs, fine.tolist(), strict=True) if strict and ref}


def look_order(found: Risks, foil: float, first: Iterable[str] = (), few: int = FEW) -> LookOrder:
    """The risky few, on a short way: those in `first` (hidden joints, say), then parts by how near their worst aperture
    is to a limit.
    """
    apertures = found.apertures
    if not len(apertures):
        return LookOrder((), np.zeros((0, 2)), 0.0)
    room = np.minimum(apertures.area_ratio(foil) / AREA_GO, apertures.aspect_ratio(foil) / ASPECT_GO)
    room = np.minimum(room, np.where(np.isfinite(found.web), found.web / 0.15, np.inf))
    worst: dict[str, tuple[int, float]] = {}
    for ref, level, free in zip(apertures.refs, found.levels.tolist(), room.tolist(), strict=True):
        if ref:
            worst[ref] = min(worst.get(ref, (0, np.inf)), (-level, free))
    wanted = [ref for ref in dict.fromkeys(first) if ref in worst]
    rest = sorted((ref for ref in worst if ref not in wanted), key=lambda ref: worst[ref])
    chosen = [*wanted, *rest][:few]
    refs = np.array(apertures.refs)
    at = np.array([[apertures.x[refs == r].mean(), apertures.y[refs == r].mean()] for r in chosen]).reshape(-1, 2)
    order = short_path(at)
    return LookOrder(tuple(chosen[i] for i in order.tolist()), at[order], length(at, order))


def judge_print(
    marks: Iterable[Mark], fine: set[str], near: set[str], panel: str, looked: Mapping[str, bool]
) -> Judgement:
    """Go on, or wipe and print again. Fine pitch, bridges between near apertures and what is missing are strict; big
    pads forgive the rest, for bare mask sends paste back. `looked` says of each part on the way whether it was looked
    at.
    """
    found = list(marks)
    strict = [m for m in found if m.ref in fine or m.word not in FORGIVEN or (m.word == "bridged" and m.ref in near)]
    numbers = (Quantity("marked", len(found)), Quantity("looked at", f"{sum(looked.values())} of {len(looked)}"))
    if strict:
        worst = strict[0]
        refs = tuple(dict.fromkeys(m.ref for m in strict))
        text = say("again", panel=panel, seen=say(f"seen {worst.word}"))
        do = say("wipe it", fix=say(f"fix {worst.word}"))
        return Judgement("print.look", Level.STOP, panel, text, numbers, do, refs)
    if found:
        refs = tuple(dict.fromkeys(m.ref for m in found))
        return Judgement("print.look", Level.CARE, panel, say("usable", panel=panel), numbers, say("look later"), refs)
    if not looked:
        text, do, missing = say("no order", panel=panel), say("look at all"), ("parts of the apertures",)
        return Judgement("print.look", Level.UNKNOWN, panel, text, numbers, do, (), missing)
    if not all(looked.values()):
        left = tuple(ref for ref, done in looked.items() if not done)
        text, missing = say("parts left", left=len(left), parts=len(looked)), ("a look at these parts",)
        return Judgement("print.look", Level.UNKNOWN, panel, text, numbers, say("look at"), left, missing)
    parts = (Coverage("critical parts", sum(looked.values()), len(looked)),)
    text = say("good", panel=panel, parts=len(looked))
    return Judgement("print.look", seen(*parts), panel, text, numbers, coverage=parts)
