"""Where paste lands: for each aperture under an alignment, how much of it lies on its own pad, and what free gap is
left to the next one.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property, lru_cache

import numpy as np
import shapely
from msgspec import Struct
from msgspec.structs import replace
from numpy.typing import NDArray

from fusilex.core.convex import convex, corners_of, shared_area, shared_areas
from fusilex.core.design.model import Pad
from fusilex.core.evidence import GRADES, Level, every, seen
from fusilex.core.judgement import Judgement
from fusilex.core.printing.alignment import Alignment
from fusilex.core.printing.apertures import Apertures
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

ON_PAD_GO, ON_PAD_STOP = 0.75, 0.50
GAP_GO, GAP_STOP = 0.10, 0.05
GAP_SHARE_GO, GAP_SHARE_STOP = 0.50, 0.25
FAR_MM = 0.6
"""Pads further from an aperture than this (mm) are not its neighbours."""
ASTRAY_MM = 2.0
"""Paste that lies further off is nowhere near its pad."""
MET = 1e-6
Numbers = NDArray[np.float64]


class Lands(Struct, frozen=True, eq=False, dict=True):
    """The pads beneath and beside the apertures of a side.

    `own` (n) are the pads' shapes, None where an aperture lies over none; `corners` and `own_corners` the corners of
    the `simple` pairs, both convex; `beside` (2, m) pairs of an aperture and the pad `pads` (m) of another net within
    `reach` (mm) of it, `apart` (m) their distances; `drawn` (n) the gap to the nearest of these as drawn (mm), infinite
    where there is none.
    """

    apertures: Apertures
    own: NDArray[np.object_]
    simple: NDArray[np.int_]
    corners: Numbers
    own_corners: Numbers
    beside: NDArray[np.int_]
    pads: NDArray[np.object_]
    apart: Numbers
    drawn: Numbers
    all_pads: tuple[Pad, ...]
    reach: float

    @cached_property
    def with_pad(self) -> NDArray[np.bool_]:
        return np.asarray(~shapely.is_missing(self.own))

    @cached_property
    def part(self) -> NDArray[np.int_]:
        """A number for the part of each aperture (n)."""
        return np.unique(np.array(self.apertures.refs, dtype=object).astype(str), return_inverse=True)[1]

    @cached_property
    def half(self) -> Numbers:
        """Half the diagonal of each aperture's box (n, mm): no width of it is more than twice that."""
        x0, y0, x1, y1 = shapely.bounds(self.apertures.polygons).reshape(-1, 4).T
        return np.asarray(np.hypot(x1 - x0, y1 - y0) / 2)


class Landed(Struct, frozen=True, eq=False):
    """What becomes of each aperture (n): `on_pad` as a share (NaN where it has no pad), `gap` in mm (infinite without a
    neighbour), `levels` as indexes into `GRADES`, and `uncertain` (mm), what 95 % of errors of the alignment stay under
    there.
    """

    lands: Lands
    on_pad: Numbers
    gap: Numbers
    levels: NDArray[np.int_]
    uncertain: Numbers

    @property
    def worst(self) -> int | None:
        """The aperture that is worst off: by level, then by how little room it has; None without any."""
        here = np.flatnonzero(self.lands.with_pad)
        if not len(here):
            return None
        rank = np.array([level.rank for level in GRADES])[self.levels[here]]
        return int(here[np.lexsort((room(self)[here], rank))[0]])


def lands_of(apertures: Apertures, pads: Sequence[Pad], reach: float = FAR_MM) -> Lands:
    """The pads beneath and beside the apertures. `pads` are those of the design; those of the other side are left out.

    A neighbour is any pad of another net (or of none) within `reach` (mm).
    """
    shapes = np.array([p.polygon for p in pads], dtype=object)
    n, own = len(apertures), apertures.pad
    here = np.flatnonzero([p.side == apertures.side or p.drill > 0 for p in pads])
    near = other = np.zeros(0, dtype=int)
    if n and len(here):
        near, found = shapely.STRtree(shapes[here]).query(apertures.polygons, predicate="dwithin", distance=reach)
        other = here[found]
    group = _groups(pads)
    apart_of = (other != own[near]) & ((own[near] < 0) | (group[other] != group[own[near]]))
    near, other = near[apart_of], other[apart_of]
    apart = shapely.distance(apertures.polygons[near], shapes[other]) if len(near) else np.zeros(0)
    drawn = np.full(n, np.inf)
    np.minimum.at(drawn, near, apart)
    beneath = np.full(n, None, dtype=object)
    beneath[own >= 0] = shapes[own[own >= 0]]
    simple = np.flatnonzero(own >= 0)
    if len(simple):
        whole = shapely.get_num_interior_rings(apertures.polygons) + shapely.get_num_interior_rings(beneath) == 0
        simple = simple[whole[simple]]
    corners, own_corners = corners_of(apertures.polygons[simple]), corners_of(beneath[simple])
    fit = convex(corners) & convex(own_corners)
    simple, corners, own_corners = simple[fit], corners[fit], own_corners[fit]
    pairs = np.stack([near, other]) if len(near) else np.zeros((2, 0), dtype=int)
    return Lands(
        apertures, beneath, simple, corners, own_corners, pairs, shapes[other], apart, drawn, tuple(pads), reach
    )


def _groups(pads: Sequence[Pad]) -> NDArray[np.int_]:
    """A number for each net; pads of no known net have their own each."""
    nets = sorted({p.net for p in pads if p.net})
    index = {net: k for k, net in enumerate(nets)}
    return np.array([index[p.net] if p.net else len(nets) + n for n, p in enumerate(pads)], dtype=int)


def landed(lands: Lands, found: Alignment | None) -> Landed:
    """Every aperture under an alignment, as drawn without one.

    Go from three quarters of the aperture on its own pad and a free gap of 0.10 mm and half of what was drawn; stop
    below half of it, or 0.05 mm, or a quarter of what was drawn. What is go by the alignment found but not by all that
    the looks allow is can't tell.
    """
    apertures = lands.apertures
    n = len(apertures)
    if found is None:
        moved, corners, off, uncertain = apertures.polygons, lands.corners, np.zeros(n), np.zeros(n)
    else:
        middles = np.column_stack([apertures.x, apertures.y])
        a, b, d, e, x, y = found.matrix()
        turn = np.array([[a, d], [b, e]])
        moved, corners = None, lands.corners @ turn + (x, y)
        uncertain = found.known_to(middles) if n else np.zeros(0)
        off = np.hypot(*found.at(middles).T) + lands.half * np.hypot(a - 1, b) if n else np.zeros(0)
    on_pad = np.full(n, np.nan)
    on_pad[lands.simple] = shared_areas(corners, lands.own_corners) / apertures.area[lands.simple]
    bent = np.setdiff1d(np.flatnonzero(lands.with_pad), lands.simple)
    if len(bent):
        shapes = _moved(apertures.polygons[bent], found)
        on_pad[bent] = shared_area(shapes, lands.own[bent]) / apertures.area[bent]
    near = lands if off.max(initial=0.0) <= lands.reach - GAP_GO else wider(lands, ASTRAY_MM + FAR_MM)
    gap = _gaps(near, moved, off, found)
    levels = np.where(off > ASTRAY_MM, GRADES.index(Level.STOP), _levels(lands, on_pad, gap))
    if found is not None:
        least = on_pad - uncertain * 2 * lands.half / apertures.area
        doubtful = (levels == 0) & (_levels(lands, least, gap - uncertain) > 0)
        levels = np.where(doubtful, GRADES.index(Level.UNKNOWN), levels)
    levels = np.where(lands.with_pad, levels, GRADES.index(Level.UNKNOWN))
    return Landed(lands, on_pad, gap, levels, uncertain)


@lru_cache(maxsize=2)
def wider(lands: Lands, reach: float) -> Lands:
    """The same with neighbours further off, for a foil that lies far away; the gap as drawn stays that to near ones."""
    return replace(lands_of(lands.apertures, lands.all_pads, reach), drawn=lands.drawn)


def _gaps(lands: Lands, moved: NDArray[np.object_] | None, off: Numbers, found: Alignment | None) -> Numbers:
    """The free gap of each aperture (n, mm). Pairs that cannot become the nearest one are not measured anew."""
    gap = np.full(len(lands.apertures), np.inf)
    if not lands.beside.shape[1]:
        return gap
    near = lands.beside[0]
    if moved is not None:
        return lands.drawn
    drawn = np.where(np.isfinite(lands.drawn), lands.drawn, lands.reach)
    close = np.flatnonzero(lands.apart - off[near] <= drawn[near] + off[near])
    which, back = np.unique(near[close], return_inverse=True)
    shapes = _moved(lands.apertures.polygons[which], found)
    np.minimum.at(gap, near[close], shapely.distance(shapes[back], lands.pads[close]))
    return gap


def _moved(polygons: NDArray[np.object_], found: Alignment | None) -> NDArray[np.object_]:
    if found is None:
        return polygons
    a, b, d, e, x, y = found.matrix()
    turn = np.array([[a, d], [b, e]])
    return np.asarray(shapely.transform(polygons, lambda at: at @ turn + (x, y)))


def _levels(lands: Lands, on_pad: Numbers, gap: Numbers) -> NDArray[np.int_]:
    want = np.maximum(GAP_GO, GAP_SHARE_GO * np.where(np.isfinite(lands.drawn), lands.drawn, 0.0))
    least = np.maximum(GAP_STOP, GAP_SHARE_STOP * np.where(np.isfinite(lands.drawn), lands.drawn, 0.0))
    care = (on_pad < ON_PAD_GO - MET) | (gap < want - MET)
    stop = (on_pad < ON_PAD_STOP - MET) | (gap < least - MET)
    return np.where(stop, 2, np.where(care, 1, 0))


def room(made: Landed) -> Numbers:
    """How many times what is wanted each aperture has: the lesser of its share and its gap (n)."""
    want = np.maximum(GAP_GO, GAP_SHARE_GO * np.where(np.isfinite(made.lands.drawn), made.lands.drawn, 0.0))
    return np.fmin(made.on_pad / ON_PAD_GO, made.gap / want)


def by_part(made: Landed) -> list[tuple[str, int]]:
    """Parts and their worst aperture, worst first; '' for apertures of no part."""
    here = np.flatnonzero(made.lands.with_pad)
    rank = np.array([level.rank for level in GRADES])[made.levels[here]]
    order = here[np.lexsort((room(made)[here], rank))]
    _, first = np.unique(made.lands.part[order], return_index=True)
    return [(made.lands.apertures.refs[i], i) for i in order[np.sort(first)].tolist()]


def judge_landing(made: Landed) -> list[Judgement]:
    """One judgement per level that occurs, naming its parts, worst first; a go naming the tightest where all are."""
    apertures = made.lands.apertures
    parts = by_part(made)
    if not parts:
        text, missing = say("no pads", side=apertures.side), ("pads under the apertures",)
        return [Judgement("print.aligned", Level.UNKNOWN, apertures.side, text, (), say("inspect all"), (), missing)]
    found = []
    for level, case, do in (
        (Level.STOP, "misses", "move it"),
        (Level.CARE, "near its limit", "move it if you can"),
        (Level.UNKNOWN, "uncertain", "one more place"),
    ):
        named = [(ref, i) for ref, i in parts if GRADES[made.levels[i]] is level]
        if named:
            refs = tuple(ref or "an aperture of no part" for ref, _ in named)
            subject, numbers = f"{apertures.side} {refs[0]}", _numbers(made, named[0][1])
            more = ("a reading at one more place",) if level is Level.UNKNOWN else ()
            found.append(Judgement("print.aligned", level, subject, say(case), numbers, say(do), refs, more))
    if bare := int(np.count_nonzero(~made.lands.with_pad)):
        text, missing = say("without a pad", bare=bare), ("pads under these apertures",)
        subject, act = f"{apertures.side} without a pad", say("inspect these")
        found.append(Judgement("print.aligned", Level.UNKNOWN, subject, text, (), act, (), missing))
    elif all(GRADES[made.levels[i]] is Level.GO for _, i in parts):
        ref, i = parts[0]
        text = say("aligned", tightest=ref or "an aperture of no part")
        subject = f"{apertures.side} {ref}"
        covered = (every("apertures", len(apertures)),)
        numbers = _numbers(made, i)
        found.append(Judgement("print.aligned", seen(*covered), subject, text, numbers, None, (ref,), (), covered))
    return found


def _numbers(made: Landed, i: int) -> tuple[Quantity, ...]:
    numbers = [Quantity("on its own pad", round(100 * float(made.on_pad[i]), 1), "%")]
    if np.isfinite(made.gap[i]):
        numbers.append(Quantity("gap to the next", round(float(made.gap[i]), 3), "mm"))
        numbers.append(Quantity("as drawn", round(float(made.lands.drawn[i]), 3), "mm"))
    if made.uncertain[i] > 0:
        numbers.append(Quantity("known to", round(float(made.uncertain[i]), 3), "mm"))
    return tuple(numbers)
