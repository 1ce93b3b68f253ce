"""Every stencil opening with its area and aspect ratio."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from fusilex.core.board.model import Design
from fusilex.core.judgement import Because, Judgement, Level

AREA_GO, AREA_STOP, ASPECT_GO = 0.66, 0.60, 1.5
THINNEST_FOIL, THICKEST_FOIL = 0.02, 1.0


@dataclass(frozen=True, eq=False)
class Openings:
    """All openings of one side. Arrays of n; lengths mm, areas mm². `refs` and `pins` are '' where no part claims one."""

    side: str
    polygons: NDArray[np.object_]
    refs: tuple[str, ...]
    pins: tuple[str, ...]
    x: NDArray[np.float64]
    y: NDArray[np.float64]
    area: NDArray[np.float64]
    perimeter: NDArray[np.float64]
    width: NDArray[np.float64]

    def __len__(self) -> int:
        return len(self.area)

    def area_ratio(self, foil: float) -> NDArray[np.float64]:
        """Opening area over wall area, area / (perimeter × t), for any shape (IPC-7525). `foil` in mm, > 0."""
        return np.asarray(self.area / (self.perimeter * _positive(foil)))

    def aspect_ratio(self, foil: float) -> NDArray[np.float64]:
        """Narrowest width over foil thickness, W / t (IPC-7525)."""
        return np.asarray(self.width / _positive(foil))


def _positive(foil: float) -> float:
    if not THINNEST_FOIL <= foil <= THICKEST_FOIL:
        raise ValueError(f"a foil is between {THINNEST_FOIL} and {THICKEST_FOIL} mm thick, not {foil:g} mm")
    return foil


def openings_of(design: Design, side: str) -> Openings:
    """Openings from the paste layer of a side, each with the pad beneath it; empty when the side has no paste."""
    layer = design.layer("paste", side)
    polygons = layer.polygons if layer is not None else np.empty(0, dtype=object)
    names = list(layer.pins) if layer is not None else []
    pads = [p for p in design.pads if p.side == side or p.drill > 0]
    if len(pads) and len(polygons) and any(n is None for n in names):
        pad_shapes = np.array([p.polygon for p in pads], dtype=object)
        which, hit = shapely.STRtree(pad_shapes).query(polygons, predicate="intersects")
        best: dict[int, tuple[float, int]] = {}
        shared = shapely.area(shapely.intersection(polygons[which], pad_shapes[hit]))
        for opening, pad, area in zip(which, hit, shared, strict=True):
            best[int(opening)] = max(best.get(int(opening), (0.0, -1)), (float(area), int(pad)))
        for opening, (_, pad) in best.items():
            if names[opening] is None and pad >= 0:
                names[opening] = (pads[pad].ref, pads[pad].pin)
    centres = shapely.get_coordinates(shapely.centroid(polygons)).reshape(-1, 2)
    area = shapely.area(polygons).astype(float)
    return Openings(
        side,
        polygons,
        tuple(n[0] if n else "" for n in names),
        tuple(n[1] if n else "" for n in names),
        centres[:, 0],
        centres[:, 1],
        area,
        shapely.length(polygons).astype(float),
        _narrowest(polygons),
    )


def _narrowest(polygons: NDArray[np.object_]) -> NDArray[np.float64]:
    """Short side of the smallest rectangle round each polygon (mm)."""
    if not len(polygons):
        return np.empty(0)
    boxes = shapely.oriented_envelope(polygons)
    widths = np.empty(len(polygons))
    for index, ring in enumerate(boxes):
        corners = np.asarray(ring.exterior.coords)[:3]
        widths[index] = min(np.hypot(*(corners[1] - corners[0])), np.hypot(*(corners[2] - corners[1])))
    return widths


@dataclass(frozen=True)
class PartRelease:
    """The worst opening of a part: area ratio, aspect ratio and level."""

    ref: str
    area_ratio: float
    aspect_ratio: float
    level: Level


def release_levels(openings: Openings, foil: float, coated: bool = False) -> NDArray[np.int_]:
    """0 go, 1 care, 2 stop for each opening (n). A coated or electroformed foil releases from 0.5 on."""
    area, aspect = openings.area_ratio(foil), openings.aspect_ratio(foil)
    low = 0.5 if coated else AREA_STOP
    levels = np.where(area < AREA_GO, 1, 0)
    levels = np.where(aspect < ASPECT_GO, np.maximum(levels, 1), levels)
    return np.where(area < low, 2, levels)


def worst_parts(openings: Openings, foil: float) -> list[PartRelease]:
    """Parts by their worst opening, worst first."""
    area, aspect, levels = openings.area_ratio(foil), openings.aspect_ratio(foil), release_levels(openings, foil)
    worst: dict[str, PartRelease] = {}
    for i, ref in enumerate(openings.refs):
        level = (Level.GO, Level.CARE, Level.STOP)[levels[i]]
        if ref not in worst or area[i] < worst[ref].area_ratio:
            worst[ref] = PartRelease(ref, float(area[i]), float(aspect[i]), level)
    return sorted(worst.values(), key=lambda w: w.area_ratio)


def judge_release(openings: Openings, foil: float) -> list[Judgement]:
    """One judgement per level that occurs, naming the parts; a go naming the worst when all release."""
    parts = worst_parts(openings, foil)
    if not parts:
        return [Judgement("print.release", Level.UNKNOWN, openings.side, f"No paste openings on the {openings.side}")]
    found = []
    for level, headline in ((Level.STOP, "will not release"), (Level.CARE, "may not release")):
        named = [p for p in parts if p.level == level]
        if named:
            refs = tuple(p.ref or "an opening of no part" for p in named)
            shown = " and ".join(refs) if len(refs) < 3 else f"{refs[0]}, {refs[1]} and {len(refs) - 2} more"
            thin = max(0.05, np.floor(named[0].area_ratio * foil / AREA_GO * 100) / 100)
            found.append(
                Judgement(
                    "print.release",
                    level,
                    f"{openings.side} {refs[0]}",
                    f"{shown} {headline}",
                    (
                        Because("area ratio", named[0].area_ratio),
                        Because("aspect ratio", named[0].aspect_ratio),
                        Because("foil", foil, "mm"),
                    ),
                    f"Use a foil of {thin:.2f} mm or thinner, or look at these deposits on every print.",
                    refs,
                )
            )
    if not found:
        found.append(
            Judgement(
                "print.release",
                Level.GO,
                f"{openings.side} {parts[0].ref}",
                f"Every opening releases; tightest is {parts[0].ref}",
                (Because("area ratio", parts[0].area_ratio), Because("foil", foil, "mm")),
                "",
                (parts[0].ref,),
            )
        )
    return found
