"""Apertures made better, part by part: trimmed to the land, narrower at fine pitch, windows on big pads."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Collection, Sequence

import numpy as np
import shapely
from msgspec import Struct
from numpy.typing import NDArray
from shapely import Polygon

from fusilex.core.overlay import shared_by
from fusilex.core.printing.apertures import AREA_GO, Apertures
from fusilex.core.printing.landing import Lands
from fusilex.core.printing.risks import BIG_PAD_MM2, COVERED, OVER_CARE, WEB_CARE, Ground

PANE_MM, WEB_MM = 2.0, 0.30
"""Widest window of a big pad, and the web of foil between two."""
NARROWER = 0.9
"""What is narrower keeps nine tenths of its width, or as much as leaves the web it wants."""


class Reduction(Struct, frozen=True, eq=False):
    """What would be better for a part: `drop` are indexes of its apertures, `polygons` what stands in their place, each
    with the pin it is for.
    """

    ref: str
    words: str
    drop: tuple[int, ...]
    polygons: tuple[Polygon, ...]
    pins: tuple[str, ...]

    def share(self, apertures: Apertures) -> float:
        """Area after over area before."""
        return float(sum(p.area for p in self.polygons)) / float(apertures.area[list(self.drop)].sum())


def reductions(ground: Ground, foil: float) -> list[Reduction]:
    """Suggestions for a side, one a part and kind, in the order of the parts. An aperture that would no longer release
    through the foil (mm) stays as it is.
    """
    lands = ground.lands
    apertures, made = lands.apertures, list[Reduction]()
    taken: set[int] = set()
    for reduction in (*_windows(lands), *_trimmed(ground, foil), *_narrower(ground, foil)):
        if not taken & set(reduction.drop):
            taken |= set(reduction.drop)
            made.append(reduction)
    order = {ref: n for n, ref in enumerate(dict.fromkeys(apertures.refs))}
    return sorted(made, key=lambda r: order.get(r.ref, 0))


def _windows(lands: Lands) -> list[Reduction]:
    """Undivided apertures of big pads as rows of equal windows over their box, clipped to them."""
    made = []
    shared: dict[int, list[int]] = defaultdict(list)
    for i in np.flatnonzero(lands.with_pad).tolist():
        shared[int(lands.apertures.pad[i])].append(i)
    for members in shared.values():
        i = members[0]
        pad, aperture = lands.own[i], lands.apertures.polygons[i]
        if len(members) > 1 or pad.area < BIG_PAD_MM2 or aperture.area <= COVERED[1] * pad.area:
            continue
        panes = windows(aperture, 0.65 * pad.area / aperture.area)
        ref, pin = lands.apertures.refs[i], lands.apertures.pins[i]
        words = f"{len(panes)} windows in place of one opening"
        made.append(Reduction(ref, words, (i,), tuple(panes), (pin,) * len(panes)))
    return made


def windows(aperture: Polygon, share: float) -> list[Polygon]:
    """An aperture as a grid of windows, at most `PANE_MM` wide, at least `WEB_MM` apart, that together have a share of
    its area.

    >>> panes = windows(shapely.box(0, 0, 4, 4), 0.65)
    >>> len(panes), round(sum(p.area for p in panes) / 16, 3)
    (4, 0.65)
    """
    x0, y0, x1, y1 = aperture.bounds
    side = math.sqrt(share)
    columns, rows = (max(2, math.ceil((b - a) * side / PANE_MM)) for a, b in ((x0, x1), (y0, y1)))
    wide, high = (x1 - x0) / columns, (y1 - y0) / rows
    if wide * side > wide - WEB_MM or high * side > high - WEB_MM:
        side = min(side, 1 - WEB_MM / min(wide, high))
    panes = []
    for r in range(rows):
        for c in range(columns):
            x, y = x0 + (c + 0.5) * wide, y0 + (r + 0.5) * high
            pane = shapely.box(x - wide * side / 2, y - high * side / 2, x + wide * side / 2, y + high * side / 2)
            panes += [p for p in shapely.get_parts(shared_by(pane, aperture)).tolist() if isinstance(p, Polygon)]
    return [p for p in panes if p.area > 0]


def _trimmed(ground: Ground, foil: float) -> list[Reduction]:
    lands = ground.lands
    found: dict[str, list[tuple[int, Polygon]]] = defaultdict(list)
    for i in np.flatnonzero(ground.beyond > OVER_CARE).tolist():
        left = shared_by(lands.apertures.polygons[i], lands.own[i])
        if isinstance(left, Polygon) and _releases(left, foil):
            found[lands.apertures.refs[i]].append((i, left))
    return [_of_part(lands.apertures, ref, "trimmed to the land", pairs) for ref, pairs in found.items()]


def _narrower(ground: Ground, foil: float) -> list[Reduction]:
    lands = ground.lands
    found: dict[str, list[tuple[int, Polygon]]] = defaultdict(list)
    for i in np.flatnonzero(ground.web < WEB_CARE - 1e-6).tolist():
        lacking = WEB_CARE - float(ground.web[i])
        width = float(lands.apertures.width[i])
        left = narrowed(lands.apertures.polygons[i], min(NARROWER, 1 - lacking / width))
        if left is not None and _releases(left, foil):
            found[lands.apertures.refs[i]].append((i, left))
    return [_of_part(lands.apertures, ref, "narrower, for a wider web", pairs) for ref, pairs in found.items()]


def narrowed(aperture: Polygon, factor: float) -> Polygon | None:
    """An aperture with its narrow side made smaller by a factor, about its middle; None where nothing would be left.

    >>> narrowed(shapely.box(0, 0, 0.3, 1), 0.9).bounds
    (0.015, 0.0, 0.285, 1.0)
    """
    if factor <= 0.3:
        return None
    corners = shapely.get_coordinates(shapely.oriented_envelope(aperture))
    sides = np.diff(corners, axis=0)[:2]
    short = sides[int(np.argmin(np.hypot(*sides.T)))]
    along = short / np.hypot(*short)
    middle = corners[:4].mean(axis=0)
    squeeze = np.eye(2) - (1 - factor) * np.outer(along, along)
    made = shapely.transform(aperture, lambda at: np.round((at - middle) @ squeeze + middle, 9))
    return made if isinstance(made, Polygon) and made.area > 0 else None


def _releases(aperture: Polygon, foil: float) -> bool:
    return bool(aperture.area / (aperture.length * foil) >= AREA_GO)


def _of_part(apertures: Apertures, ref: str, words: str, pairs: Sequence[tuple[int, Polygon]]) -> Reduction:
    return Reduction(
        ref, words, tuple(i for i, _ in pairs), tuple(p for _, p in pairs), tuple(apertures.pins[i] for i, _ in pairs)
    )


def reduced(apertures: Apertures, chosen: Collection[Reduction]) -> tuple[NDArray[np.object_], list[tuple[str, str]]]:
    """All apertures of a side with some reductions made: polygons (n) and (part, pin) of each, '' where unknown."""
    gone = {i for r in chosen for i in r.drop}
    kept = [i for i in range(len(apertures)) if i not in gone]
    polygons = [apertures.polygons[i] for i in kept] + [p for r in chosen for p in r.polygons]
    names = [(apertures.refs[i], apertures.pins[i]) for i in kept]
    names += [(r.ref, pin) for r in chosen for pin in r.pins]
    made = np.empty(len(polygons), dtype=object)
    made[:] = polygons
    return made, names
