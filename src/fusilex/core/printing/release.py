"""Does paste leave the apertures? Area and aspect ratio, aperture by aperture and part by part."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from fusilex.core.evidence import GRADES, Level, every, seen
from fusilex.core.judgement import Judgement
from fusilex.core.printing.apertures import AREA_GO, AREA_STOP, ASPECT_GO, LEAST_FOIL, Apertures
from fusilex.core.quantities import Quantity, amount
from fusilex.core.wording import say

COATED_STOP = 0.5
MET = 1e-6
"""Share by which rounding may put a ratio below a limit that it meets."""


class PartRelease(Struct, frozen=True):
    """The worst aperture of a part: area ratio, aspect ratio, width (mm) and level."""

    ref: str
    area_ratio: float
    aspect_ratio: float
    width: float
    level: Level


def release_levels(apertures: Apertures, foil: float, coated: bool = False) -> NDArray[np.int_]:
    """0 go, 1 care, 2 stop for each aperture (n). A coated or electroformed foil releases from 0.5 on."""
    area, aspect = apertures.area_ratio(foil) * (1 + MET), apertures.aspect_ratio(foil) * (1 + MET)
    low = COATED_STOP if coated else AREA_STOP
    levels = np.where(area < AREA_GO, 1, 0)
    levels = np.where(aspect < ASPECT_GO, np.maximum(levels, 1), levels)
    return np.where(area < low, 2, levels)


@lru_cache(maxsize=8)
def worst_parts(apertures: Apertures, foil: float, coated: bool = False) -> tuple[PartRelease, ...]:
    """Parts by their worst aperture, worst first: by level, then by how far they keep from the limits."""
    area, aspect = apertures.area_ratio(foil), apertures.aspect_ratio(foil)
    levels = release_levels(apertures, foil, coated)
    room = np.minimum(area / AREA_GO, aspect / ASPECT_GO)
    worst: dict[str, int] = {}
    for i in np.lexsort((area, room, -levels)).tolist():
        worst.setdefault(apertures.refs[i], i)
    numbers = ((area[i], aspect[i], apertures.width[i], levels[i]) for i in worst.values())
    found = zip(worst, numbers, strict=True)
    return tuple(PartRelease(ref, float(a), float(r), float(w), GRADES[n]) for ref, (a, r, w, n) in found)


def thin_enough(parts: Sequence[PartRelease], foil: float) -> float | None:
    """The thickest foil (mm, in hundredths, thinner than the one in use) through which all of some parts release;
    None where none does.
    """
    most = min(min(p.area_ratio * foil / AREA_GO, p.width / ASPECT_GO) for p in parts)
    thickest = min(np.floor(most * 100 * (1 + MET)), np.ceil(foil * 100 - 1e-6) - 1) / 100
    return float(thickest) if thickest >= LEAST_FOIL else None


def judge_release(apertures: Apertures, foil: float, coated: bool = False) -> list[Judgement]:
    """One judgement per level that occurs, naming the parts; a go naming the worst when all release."""
    parts = worst_parts(apertures, foil, coated)
    if not parts:
        text, missing = say("no apertures", side=apertures.side), ("a paste layer of this side",)
        return [Judgement("print.release", Level.UNKNOWN, apertures.side, text, missing=missing)]
    found = [_bridge(apertures.side, names) for names in apertures.joined]
    for level in (Level.STOP, Level.CARE):
        if named := [p for p in parts if p.level == level]:
            found.append(_poor(apertures.side, level, named, foil))
    if not any(p.level is not Level.GO for p in parts):
        covered = (every("apertures", len(apertures)),)
        found.append(
            Judgement(
                "print.release",
                seen(*covered),
                f"{apertures.side} {parts[0].ref}",
                say("all release", tightest=parts[0].ref or "an aperture of no part"),
                (
                    Quantity("area ratio", parts[0].area_ratio, limit=(AREA_GO, np.inf), source="IPC-7525"),
                    Quantity("stencil thickness", foil, "mm"),
                ),
                None,
                (parts[0].ref,),
                coverage=covered,
            )
        )
    return found


def _poor(side: str, level: Level, named: Sequence[PartRelease], foil: float) -> Judgement:
    refs = tuple(p.ref or "an aperture of no part" for p in named)
    thin = thin_enough(named, foil)
    numbers = (
        Quantity("area ratio", named[0].area_ratio, limit=(AREA_GO, np.inf), source="IPC-7525"),
        Quantity("aspect ratio", named[0].aspect_ratio, limit=(ASPECT_GO, np.inf), source="IPC-7525"),
        Quantity("narrowest", named[0].width, "mm"),
        Quantity("stencil thickness", foil, "mm"),
    )
    do = say("thinner stencil", thin=amount(thin, "mm")) if thin is not None else say("no stencil thin enough")
    text = say("will not release" if level is Level.STOP else "may not release")
    return Judgement("print.release", level, f"{side} {refs[0]}", text, numbers, do, refs)


def _bridge(side: str, names: tuple[str, ...]) -> Judgement:
    refs = tuple(dict.fromkeys(name.rsplit(".", 1)[0] for name in names))
    text = say("joined", pads=names)
    return Judgement("print.joined", Level.STOP, f"{side} {names[0]}", text, (), say("part it"), refs)


def judge_hidden(apertures: Apertures, hidden: Sequence[str]) -> list[Judgement]:
    """One care for the parts whose joints nobody sees after reflow: now is the last time to look at their paste."""
    deposits = Counter(apertures.refs)
    counts = {ref: deposits[ref] for ref in hidden}
    refs = tuple(ref for ref, n in counts.items() if n)
    if not refs:
        return []
    subject, numbers = f"{apertures.side} hidden", (Quantity("deposits", sum(counts.values())),)
    return [Judgement("print.hidden", Level.CARE, subject, say("hidden"), numbers, say("magnify"), refs)]
