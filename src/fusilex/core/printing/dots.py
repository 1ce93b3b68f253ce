"""Paste by syringe: which needle, how many dots a pad, in which order, how long."""

from __future__ import annotations

import math

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from fusilex.core.evidence import Level, every, seen
from fusilex.core.judgement import Judgement
from fusilex.core.printing.apertures import Apertures
from fusilex.core.printing.paste import POWDER_TYPES, Paste, transfer
from fusilex.core.quantities import Quantity, amount
from fusilex.core.tours import length, path_bound, short_path
from fusilex.core.wording import say

BALLS_ACROSS_NEEDLE = 7
DOT_BORES = 1.5
"""A dot is about as wide as one and a half bores of its needle, until twenty of them were weighed."""
BORES = {"18G": 0.84, "20G": 0.60, "21G": 0.51, "22G": 0.41, "23G": 0.34, "25G": 0.25, "27G": 0.20, "30G": 0.15}
WEIGHED_DOTS = 20
DOT_S, PAD_S = 1.2, 0.8
"""Seconds for a dot and for the way to the next pad, by hand."""
COLD_C = 18.0
WARM_BOARD_C = (30.0, 35.0)
TOO_MUCH = (0.5, 0.25)
"""Shares of a dot that a pad wants, below which one dot is care, and stop."""


class DotPlan(Struct, frozen=True, eq=False):
    """Dots for each pad (n) in the order of the apertures' pads: names, middles (n × 2, mm), the volume a stencil would
    leave (mm³), dots, and the order to go in with its length and what none is shorter than (mm).
    """

    names: tuple[tuple[str, str], ...]
    at: NDArray[np.float64]
    volume: NDArray[np.float64]
    width: NDArray[np.float64]
    dots: NDArray[np.int_]
    dot_mm3: float
    order: NDArray[np.int_]
    path_mm: float
    bound_mm: float

    @property
    def seconds(self) -> float:
        """What a board takes by hand."""
        return float(self.dots.sum()) * DOT_S + len(self.dots) * PAD_S


def dot_volume(bore_mm: float) -> float:
    """Volume of a dot (mm³) from a needle's bore (mm): half a ball of one and a half bores across, (2/3) π r³.

    >>> round(dot_volume(0.41), 4)
    0.0609
    """
    if not 0.05 <= bore_mm <= 3.0:
        raise ValueError(f"a needle's bore is between 0.05 and 3 mm, not {bore_mm:g} mm")
    return 2 / 3 * math.pi * (DOT_BORES * bore_mm / 2) ** 3


def weighed_dot(grams: float, paste: Paste) -> float:
    """Volume of a dot (mm³) from what so many of them (`WEIGHED_DOTS`) weigh together.

    >>> from fusilex.core.printing.paste import PASTES
    >>> round(weighed_dot(0.005, PASTES["lead-free"]), 4)
    0.0586
    """
    if not 0 < grams <= 5:
        raise ValueError("dots weigh a few milligrams to a few grams")
    return 1000 * grams / WEIGHED_DOTS / paste.density


def plan_dots(apertures: Apertures, foil: float, dot_mm3: float) -> DotPlan:
    """Dots on every pad that match what a foil (mm) would leave there: Σ A t TE(AR) of its apertures over the volume of
    a dot, at least one.
    """
    volumes = apertures.area * foil * transfer(apertures.area_ratio(foil)) if len(apertures) else np.zeros(0)
    pads: dict[tuple[str, str], list[int]] = {}
    for i, (ref, pin) in enumerate(zip(apertures.refs, apertures.pins, strict=True)):
        pads.setdefault((ref, pin) if ref else ("", str(i)), []).append(i)
    groups = list(pads.values())
    at = np.array([[apertures.x[g].mean(), apertures.y[g].mean()] for g in groups]).reshape(-1, 2)
    volume = np.array([volumes[g].sum() for g in groups])
    width = np.array([apertures.width[g].min() for g in groups])
    dots = np.maximum(1, np.floor(volume / dot_mm3 + 0.5)).astype(int) if len(groups) else np.zeros(0, dtype=int)
    order = short_path(at)
    names = tuple((ref, pin if ref else "") for ref, pin in pads)
    return DotPlan(names, at, volume, width, dots, dot_mm3, order, length(at, order), path_bound(at))


def dot_levels(apertures: Apertures, foil: float, dot_mm3: float) -> NDArray[np.int_]:
    """For each aperture (n) whether one dot suits its pad: 0 go, 1 care from twice what the pad wants, 2 stop from four
    times on.
    """
    if not len(apertures):
        return np.zeros(0, dtype=int)
    volume = apertures.area * foil * transfer(apertures.area_ratio(foil))
    named = zip(apertures.refs, apertures.pins, strict=True)
    pads = [f"{ref}\0{pin}" if ref else f"\0{n}" for n, (ref, pin) in enumerate(named)]
    _, pad = np.unique(pads, return_inverse=True)
    ratio = (np.bincount(pad, volume) / dot_mm3)[pad]
    return np.where(ratio < TOO_MUCH[1], 2, np.where(ratio < TOO_MUCH[0], 1, 0))


def finest_powder(bore_mm: float) -> int | None:
    """Coarsest powder type that flows through a bore: seven of its largest balls across; None where none does.

    >>> [finest_powder(b) for b in (0.41, 0.30, 0.25, 0.10)]
    [3, 4, 5, None]
    """
    room_um = 1000 * bore_mm / BALLS_ACROSS_NEEDLE
    return next((number for number, size in POWDER_TYPES if size <= room_um * (1 + 1e-6)), None)


def judge_needle(bore_mm: float, powder: int | None = None) -> Judgement:
    """Does this paste flow through this needle?"""
    coarsest = finest_powder(bore_mm)
    numbers = (
        Quantity("bore", bore_mm, "mm"),
        Quantity("seven balls need", BALLS_ACROSS_NEEDLE * dict(POWDER_TYPES)[powder or 3] / 1000, "mm"),
    )
    subject = f"needle {bore_mm:g} mm"
    if coarsest is None:
        return Judgement("dots.needle", Level.STOP, subject, say("too fine"), numbers, say("wider"))
    if powder is None:
        text, missing = say("powder unknown", coarsest=coarsest), ("powder type of the paste",)
        return Judgement("dots.needle", Level.UNKNOWN, subject, text, numbers, say("read the label"), (), missing)
    if powder < coarsest:
        text = say("clogs", powder=powder, coarsest=coarsest)
        return Judgement("dots.needle", Level.STOP, subject, text, numbers, say("wider or finer"))
    labels = (every("labels", 1),)
    return Judgement("dots.needle", seen(*labels), subject, say("flows", powder=powder), numbers, coverage=labels)


def judge_dots(plan: DotPlan, room_c: float | None = None, weighed: bool = False) -> list[Judgement]:
    """Pads too small for a dot of this needle, and paste too stiff to come out. What a dot holds is assumed until
    twenty were `weighed`.
    """
    across = 2 * (3 * plan.dot_mm3 / (2 * math.pi)) ** (1 / 3)
    found = []
    ratio = plan.volume / plan.dot_mm3
    small = [plan.names[i][0] or "a pad of no part" for i in np.argsort(ratio) if ratio[i] < TOO_MUCH[0]]
    parts = tuple(dict.fromkeys(small))
    numbers = (Quantity("a dot across", across, "mm"), Quantity("its volume", plan.dot_mm3, "mm³"))
    if parts:
        worst = float(ratio.min())
        level = Level.STOP if worst < TOO_MUCH[1] else Level.CARE
        times = Quantity("times too much", 1 / worst, limit=(0.0, 1 / TOO_MUCH[0]))
        text, do = say("too much"), say("finer needle")
        found.append(Judgement("dots.size", level, parts[0], text, (times, *numbers), do, parts))
    else:
        dots, minutes = int(plan.dots.sum()), amount(plan.seconds / 60, "min")
        text = say("enough" if weighed else "if usual", dots=dots, pads=len(plan.dots), minutes=minutes)
        if weighed:
            pads = (every("pads", len(plan.dots)),)
            found.append(Judgement("dots.size", seen(*pads), "dots", text, numbers, coverage=pads))
        else:
            do, missing = say("weigh dots", dots=WEIGHED_DOTS), ("weight of a dot",)
            found.append(Judgement("dots.size", Level.UNKNOWN, "dots", text, numbers, do, (), missing))
    if room_c is not None and room_c < COLD_C:
        cold = (Quantity("room", room_c, "°C", limit=(COLD_C, math.inf)),)
        do = say("warm it", low=amount(WARM_BOARD_C[0], "°C"), high=amount(WARM_BOARD_C[1], "°C"))
        found.append(Judgement("dots.cold", Level.CARE, "syringe", say("stiff"), cold, do))
    return found
