"""Does paste leave the openings? Area and aspect ratio, opening by opening and part by part."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from fusilex.core.judgement import Because, Judgement, Level
from fusilex.core.printing.openings import AREA_GO, AREA_STOP, ASPECT_GO, LEAST_FOIL, Openings

COATED_STOP = 0.5
MET = 1e-6
"""Share by which rounding may put a ratio below a limit that it meets."""
_LEVELS = (Level.GO, Level.CARE, Level.STOP)


class PartRelease(Struct, frozen=True):
    """The worst opening of a part: area ratio, aspect ratio, width (mm) and level."""

    ref: str
    area_ratio: float
    aspect_ratio: float
    width: float
    level: Level


def release_levels(openings: Openings, foil: float, coated: bool = False) -> NDArray[np.int_]:
    """0 go, 1 care, 2 stop for each opening (n). A coated or electroformed foil releases from 0.5 on."""
    area, aspect = openings.area_ratio(foil) * (1 + MET), openings.aspect_ratio(foil) * (1 + MET)
    low = COATED_STOP if coated else AREA_STOP
    levels = np.where(area < AREA_GO, 1, 0)
    levels = np.where(aspect < ASPECT_GO, np.maximum(levels, 1), levels)
    return np.where(area < low, 2, levels)


@lru_cache(maxsize=8)
def worst_parts(openings: Openings, foil: float, coated: bool = False) -> tuple[PartRelease, ...]:
    """Parts by their worst opening, worst first: by level, then by how far they keep from the limits."""
    area, aspect = openings.area_ratio(foil), openings.aspect_ratio(foil)
    levels = release_levels(openings, foil, coated)
    room = np.minimum(area / AREA_GO, aspect / ASPECT_GO)
    worst: dict[str, int] = {}
    for i in np.lexsort((area, room, -levels)).tolist():
        worst.setdefault(openings.refs[i], i)
    numbers = ((area[i], aspect[i], openings.width[i], levels[i]) for i in worst.values())
    found = zip(worst, numbers, strict=True)
    return tuple(PartRelease(ref, float(a), float(r), float(w), _LEVELS[n]) for ref, (a, r, w, n) in found)


def thin_enough(parts: Sequence[PartRelease], foil: float) -> float | None:
    """The thickest foil (mm, in hundredths, thinner than the one in use) through which all of some parts release;
    None where none does.
    """
    most = min(min(p.area_ratio * foil / AREA_GO, p.width / ASPECT_GO) for p in parts)
    thickest = min(np.floor(most * 100 * (1 + MET)), np.ceil(foil * 100 - 1e-6) - 1) / 100
    return float(thickest) if thickest >= LEAST_FOIL else None


def judge_release(openings: Openings, foil: float, coated: bool = False) -> list[Judgement]:
    """One judgement per level that occurs, naming the parts; a go naming the worst when all release."""
    parts = worst_parts(openings, foil, coated)
    if not parts:
        return [Judgement("print.release", Level.UNKNOWN, openings.side, f"No paste openings on the {openings.side}")]
    found = [_bridge(openings.side, names) for names in openings.joined]
    for level, headline in ((Level.STOP, "will not release"), (Level.CARE, "may not release")):
        if named := [p for p in parts if p.level == level]:
            found.append(_poor(openings.side, level, headline, named, foil))
    if not any(p.level is not Level.GO for p in parts):
        found.append(
            Judgement(
                "print.release",
                Level.GO,
                f"{openings.side} {parts[0].ref}",
                f"Every opening releases; tightest is {parts[0].ref or 'an opening of no part'}",
                (Because("area ratio", parts[0].area_ratio), Because("foil", foil, "mm")),
                "",
                (parts[0].ref,),
            )
        )
    return found


def _poor(side: str, level: Level, headline: str, named: Sequence[PartRelease], foil: float) -> Judgement:
    refs = tuple(p.ref or "an opening of no part" for p in named)
    shown = " and ".join(refs) if len(refs) < 3 else f"{refs[0]}, {refs[1]} and {len(refs) - 2} more"
    thin = thin_enough(named, foil)
    numbers = (
        Because("area ratio", named[0].area_ratio),
        Because("aspect ratio", named[0].aspect_ratio),
        Because("narrowest", named[0].width, "mm"),
        Because("foil", foil, "mm"),
    )
    do = (
        f"Use a foil of {thin:.2f} mm or thinner, or look at these deposits on every print."
        if thin is not None
        else "No common foil is thin enough: widen these openings, or dispense these parts."
    )
    return Judgement("print.release", level, f"{side} {refs[0]}", f"{shown} {headline}", numbers, do, refs)


def _bridge(side: str, names: tuple[str, ...]) -> Judgement:
    shown = " and ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")
    refs = tuple(dict.fromkeys(name.rsplit(".", 1)[0] for name in names))
    do = "Have the opening parted, or dispense these pads: one deposit over several nets bridges them."
    return Judgement("print.joined", Level.STOP, f"{side} {names[0]}", f"{shown} lie under one opening", (), do, refs)


def judge_hidden(openings: Openings, hidden: Sequence[str]) -> list[Judgement]:
    """One care for the parts whose joints nobody sees after reflow: now is the last time to look at their paste."""
    deposits = Counter(openings.refs)
    counts = {ref: deposits[ref] for ref in hidden}
    refs = tuple(ref for ref, n in counts.items() if n)
    if not refs:
        return []
    shown = ", ".join(refs[:4]) + (" …" if len(refs) > 4 else "")
    text = f"{shown} {'hides its' if len(refs) == 1 else 'hide their'} joints: look at every deposit now"
    do = "Under magnification, before the first part goes on; wipe and print again where one is short or joined."
    return [
        Judgement(
            "print.hidden",
            Level.CARE,
            f"{openings.side} hidden",
            text,
            (Because("deposits", sum(counts.values())),),
            do,
            refs,
        )
    ]
