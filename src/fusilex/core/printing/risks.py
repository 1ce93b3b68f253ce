"""What may go wrong at each aperture, beside release: powder, land, web, windows, and apertures that are missing."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable

import numpy as np
import shapely
from msgspec import Struct
from numpy.typing import NDArray
from shapely.geometry import Polygon

from fusilex.core.design.model import Part
from fusilex.core.evidence import GRADES, Level
from fusilex.core.judgement import Judgement
from fusilex.core.printing.apertures import ROUND, Apertures, roundness
from fusilex.core.printing.landing import Lands, landed
from fusilex.core.printing.paste import BALLS_ACROSS_RECTANGLE, BALLS_ACROSS_ROUND, POWDER_TYPES
from fusilex.core.printing.release import release_levels
from fusilex.core.quantities import Quantity, amount
from fusilex.core.wording import say

OVER_CARE, OVER_STOP = 0.02, 0.20
WEB_CARE, WEB_STOP = 0.15, 0.10
FAR_MM = 0.5
BIG_PAD_MM2, COVERED = 9.0, (0.50, 0.80)
"""A pad from 3 × 3 mm on wants windows, and paste on 50 to 80 % of it (IPC-7525)."""
WHYS = ("", "release", "powder", "land", "web", "dot")


class Risks(Struct, frozen=True, eq=False):
    """For each aperture (n) the worst level, as index into `GRADES`, and why, as index into `WHYS`; the share that lies
    beyond its land, and the web of foil to the next aperture (mm, infinite without one).
    """

    apertures: Apertures
    levels: NDArray[np.int_]
    why: NDArray[np.int_]
    beyond: NDArray[np.float64]
    web: NDArray[np.float64]
    balls: NDArray[np.float64]


class Ground(Struct, frozen=True, eq=False):
    """What does not depend on foil and powder: how far apertures go beyond their lands, webs between them."""

    lands: Lands
    beyond: NDArray[np.float64]
    web: NDArray[np.float64]


def ground_of(lands: Lands) -> Ground:
    """Shares beyond the land (n; 0 where no land is known) and webs to the next aperture (n, mm)."""
    apertures = lands.apertures
    beyond, web = np.zeros(len(apertures)), np.full(len(apertures), np.inf)
    here = np.flatnonzero(lands.with_pad)
    if len(here):
        beyond[here] = np.maximum(0.0, 1 - landed(lands, None).on_pad[here])
    if len(apertures) > 1:
        reach = shapely.bounds(apertures.polygons) + np.array([-FAR_MM, -FAR_MM, FAR_MM, FAR_MM])
        i, k = shapely.STRtree(apertures.polygons).query(shapely.box(*reach.T))
        i, k = i[i < k], k[i < k]  # each pair is measured once
        apart = shapely.distance(apertures.polygons[i], apertures.polygons[k])
        apart[apart > FAR_MM] = np.inf
        np.minimum.at(web, i, apart)
        np.minimum.at(web, k, apart)
    return Ground(lands, beyond, web)


def risks(ground: Ground, foil: float, powder: int | None = None, coated: bool = False) -> Risks:
    """The worst of release, powder, land and web at each aperture. `powder` is a J-STD-005 type, None where unknown."""
    apertures = ground.lands.apertures
    n = len(apertures)
    if not n:
        return Risks(apertures, np.zeros(0, int), np.zeros(0, int), ground.beyond, ground.web, np.zeros(0))
    disc = roundness(apertures.area, apertures.perimeter) > ROUND
    wanted = np.where(disc, BALLS_ACROSS_ROUND, BALLS_ACROSS_RECTANGLE)
    size = dict(POWDER_TYPES).get(powder or 0)
    balls = 1000 * apertures.width / size if size else np.full(n, np.inf)
    each = np.stack(
        [
            np.zeros(n, dtype=int),
            release_levels(apertures, foil, coated),
            np.where(balls < wanted * (1 - 1e-6), 2, 0),
            np.where(ground.beyond > OVER_STOP, 2, np.where(ground.beyond > OVER_CARE, 1, 0)),
            np.where(ground.web < WEB_STOP - 1e-6, 2, np.where(ground.web < WEB_CARE - 1e-6, 1, 0)),
        ]
    )
    why = each.argmax(axis=0)
    return Risks(apertures, each.max(axis=0), why, ground.beyond, ground.web, balls)


def changed(before: Risks, after: Risks) -> dict[str, tuple[Level, Level]]:
    """Parts whose worst level is another now, from which to which."""
    was, now = _by_part(before), _by_part(after)
    return {ref: (was[ref], now[ref]) for ref in now if was.get(ref, now[ref]) is not now[ref]}


def _by_part(found: Risks) -> dict[str, Level]:
    worst: dict[str, int] = {}
    for ref, level in zip(found.apertures.refs, found.levels.tolist(), strict=True):
        worst[ref] = max(worst.get(ref, 0), level)
    return {ref: GRADES[level] for ref, level in worst.items()}


def judge_risks(found: Risks, powder: int | None = None) -> list[Judgement]:
    """Powder, land and web: one judgement a reason, naming the parts. Release has its own."""
    apertures, made = found.apertures, []
    for n, why in enumerate(WHYS[2:5], 2):
        here = np.flatnonzero((found.why == n) & (found.levels > 0))
        if not len(here):
            continue
        parts = tuple(dict.fromkeys(apertures.refs[i] or "an aperture of no part" for i in here.tolist()))
        level = GRADES[int(found.levels[here].max())]
        numbers = {
            "powder": Quantity("balls across", round(float(found.balls[here].min()), 1)),
            "land": Quantity("beyond the pad", round(100 * float(found.beyond[here].max()), 1), "%"),
            "web": Quantity("web", round(float(found.web[here].min()), 3), "mm", limit=(WEB_CARE, np.inf)),
        }[why]
        kind = Quantity("powder type", powder or "unknown")
        because = (numbers, *((kind,) if why == "powder" else ()), Quantity("apertures", len(here)))
        rule, subject = f"print.{why}", f"{apertures.side} {parts[0]}"
        made.append(Judgement(rule, level, subject, say("at fault"), because, say("change it"), parts))
    return made


def judge_missing(lands: Lands, parts: Iterable[Part]) -> list[Judgement]:
    """Fitted surface-mount parts whose pads have no aperture: all of them, or some."""
    apertures = lands.apertures
    own = lands.own[lands.with_pad]
    printed: list[tuple[str, list[Polygon]]] = []
    for part in parts:
        pads = [p.polygon for p in part.pads if p.drill == 0 and p.side == apertures.side]
        if part.populated and pads and part.side == apertures.side and part.package.family not in NOT_SOLDERED:
            printed.append((part.ref, pads))
    shapes = np.array([pad for _, pads in printed for pad in pads], dtype=object)
    met = shapely.STRtree(own).query(shapes, predicate="intersects")[0] if len(own) and len(shapes) else []
    opened = np.isin(np.arange(len(shapes)), met)
    none, some = list[str](), list[str]()
    at = 0
    for ref, pads in printed:
        here, at = opened[at : at + len(pads)], at + len(pads)
        if not here.all():
            (some if here.any() else none).append(ref)
    made = []
    for refs, level, text, do in ((none, Level.STOP, "none", "by hand"), (some, Level.CARE, "some", "dispense")):
        if refs:
            subject, numbers = f"{apertures.side} {refs[0]}", (Quantity("parts", len(refs)),)
            made.append(Judgement("print.missing", level, subject, say(text), numbers, say(do), tuple(refs)))
    return made


NOT_SOLDERED = ("fiducial", "test", "hole")


def judge_windows(lands: Lands) -> list[Judgement]:
    """Big pads: how many windows share them, and how much of them gets paste. One judgement a part and fault."""
    apertures = lands.apertures
    by_pad: dict[int, list[int]] = defaultdict(list)
    for i in np.flatnonzero(lands.with_pad & (shapely.area(lands.own) >= BIG_PAD_MM2)).tolist():
        by_pad[int(apertures.pad[i])].append(i)
    worst: dict[tuple[str, str], tuple[float, int, float]] = {}
    for members in by_pad.values():
        pad = float(lands.own[members[0]].area)
        share = float(apertures.area[members].sum()) / pad
        if len(members) == 1 and share > COVERED[1]:
            fault = "undivided"
        elif not COVERED[0] <= share <= COVERED[1] + 0.05:
            fault = "much" if share > COVERED[1] else "little"
        else:
            continue
        key = apertures.refs[members[0]] or "a part that is not known", fault
        if key not in worst or abs(share - 0.65) > abs(worst[key][0] - 0.65):
            worst[key] = share, len(members), pad
    return [_windowed(apertures.side, ref, fault, *found) for (ref, fault), found in worst.items()]


PANES_MM = (1.0, 2.5)
"""Sides of the windows that a big aperture is split into."""


def _windowed(side: str, ref: str, fault: str, share: float, windows: int, pad: float) -> Judgement:
    numbers = (
        Quantity("covered", round(100 * share), "%", limit=(100 * COVERED[0], 100 * COVERED[1]), source="IPC-7525"),
        Quantity("windows", windows),
        Quantity("pad", round(pad, 1), "mm²"),
    )
    text = say(fault)
    do = say(f"split {fault}", low=amount(PANES_MM[0], "mm"), high=amount(PANES_MM[1], "mm"))
    return Judgement("print.windows", Level.CARE, f"{side} {ref} {fault}", text, numbers, do, (ref,))
