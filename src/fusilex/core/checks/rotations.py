"""Turns against pads: parts of one kind have one pattern of pads, so turned back by what the list says they must lie
alike.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from functools import cached_property

import numpy as np
import shapely
from msgspec import Struct
from numpy.typing import NDArray

from fusilex.core.design.frames import board_to_part
from fusilex.core.design.model import Part
from fusilex.core.packages.catalogue import letters_of
from fusilex.core.quantities import METRIC
from fusilex.core.wording import Said, listed, say, worded

ALIKE_MM = 0.08
MANY = 64  # pads without names: beyond, the pattern is a grid, alike in every quarter turn
LEAST, SHARE = 3, 0.8
"""A convention must put right at least so many parts, and this share of all that can tell."""
OTHERS, MAJORITY = 2, 2 / 3
"""So many of a kind, and this share of it, must lie alike before the rest is surely out of line."""
UPPER_LEFT = (100.0, 190.0)
"""Where pin 1 lies as seen from the middle of a part at 0° (degrees; IEC 61188-7, level A: left, or upper left)."""


class Convention(Struct, frozen=True):
    """turn = sign · listed + plus, degrees, counter-clockwise as seen from the part's own side."""

    sign: int = 1
    plus: int = 0

    def turn(self, listed: float) -> float:
        return (self.sign * listed + self.plus) % 360

    @property
    def says(self) -> tuple[Said, ...]:
        found = [say("clockwise")] if self.sign < 0 else []
        if self.plus:
            found.append(say("further", turn=self.plus))
        return tuple(found) or (say("as listed"),)

    @property
    def words(self) -> str:
        """How turns are counted, for the record: ``counted clockwise and 90° further``."""
        return listed([worded("ready.rotations", one, units=METRIC) for one in self.says])


CONVENTIONS = (Convention(), *(Convention(sign, plus) for plus in (0, 180, 90, 270) for sign in (-1, 1)))
"""The likeliest first. A bottom side seen through the board counts clockwise; turned over about the other axis, from
180°.
"""


class TurnFit(Struct, frozen=True):
    """The convention that fits a side best: of `n` parts that can tell, how many lie like their kind as listed, and
    then.

    `sense` is False where counting the other way round would fit as well.
    """

    side: str
    convention: Convention
    n: int
    before: int
    after: int
    sense: bool

    @property
    def convincing(self) -> bool:
        return self.after - self.before >= LEAST and self.after >= SHARE * self.n


class OddTurn(Struct, frozen=True):
    """A part that lies otherwise than `others` of its kind, and the turn (degrees) that would bring it into line.

    `sure` is False where the kind is split too evenly to tell, and pin 1 in the upper left at 0° decided.
    """

    part: Part
    turn: float
    others: tuple[str, ...]
    sure: bool = True


class PartKind(Struct, frozen=True, dict=True):
    """Parts with one pattern of pads. `lies` (n × 4): the pattern, turned back as listed, is the first one's turned
    by k · 90°.
    """

    parts: tuple[Part, ...]
    lies: NDArray[np.bool_]

    @cached_property
    def turns(self) -> NDArray[np.float64]:
        return np.array([p.rotation_deg for p in self.parts])

    @cached_property
    def bottom(self) -> NDArray[np.bool_]:
        return np.array([p.side == "bottom" for p in self.parts], dtype=bool)

    def on(self, side: str) -> PartKind:
        here = self.bottom == (side == "bottom")
        return PartKind(
            tuple(p for p, is_here in zip(self.parts, here.tolist(), strict=True) if is_here), self.lies[here]
        )

    def under(self, read: dict[str, Convention]) -> NDArray[np.bool_]:
        """`lies` with every side's turns read by its convention; a part that would lie askew matches nothing."""
        top, bottom = read["top"], read["bottom"]
        sign = np.where(self.bottom, bottom.sign, top.sign)
        plus = np.where(self.bottom, bottom.plus, top.plus)
        quarters = (self.turns * (1 - sign) - plus) / 90
        whole = np.rint(quarters)
        moved = (np.arange(4) - whole.astype(int)[:, None]) % 4
        return np.asarray(np.take_along_axis(self.lies, moved, axis=1) & (np.abs(quarters - whole) < 1e-3)[:, None])

    def by_standard(self) -> NDArray[np.bool_]:
        """The quarter turns k of the first one's pattern that have pin 1 where a part at 0° has it (4)."""
        first = self.parts[0]
        if (pad := first.pin_one) is None:
            return np.zeros(4, dtype=bool)
        ((x, y),) = board_to_part(pad.polygon.centroid.coords[0], (first.x, first.y), first.rotation_deg, first.side)
        angle = (np.degrees(np.arctan2(y, x)) + 90 * np.arange(4)) % 360
        return np.asarray((angle > UPPER_LEFT[0]) & (angle < UPPER_LEFT[1]))

    def agreeing(self, read: dict[str, Convention]) -> int:
        """How many lie like most of the kind."""
        return int(self.under(read).sum(axis=0).max())


def fit_turns(kinds: Sequence[PartKind]) -> list[TurnFit]:
    """The convincing conventions that are not simply as listed: of the top first, then of the bottom beside it.

    Within one side only the sense of counting shows, for a constant turn may as well belong to the pattern; a kind
    that sits on both sides shows the constant between them.
    """
    read = {"top": Convention(), "bottom": Convention()}
    found = []
    for side in ("top", "bottom"):
        beside = kinds if side == "bottom" else [k.on("top") for k in kinds]
        telling = [k for k in beside if len(k.parts) > 1 and (side == "top" or k.bottom.any())]
        counts = [sum(k.agreeing(read | {side: c}) for k in telling) for c in CONVENTIONS]
        best = int(np.argmax(counts))
        chosen, n = CONVENTIONS[best], sum(len(k.parts) for k in telling)
        other_way = counts[CONVENTIONS.index(Convention(-chosen.sign, chosen.plus))]
        fit = TurnFit(side, chosen, n, counts[0], counts[best], counts[best] > other_way)
        if best and fit.convincing:
            read[side] = fit.convention
            found.append(fit)
    return found


def odd_turns(kinds: Sequence[PartKind], share: float = MAJORITY) -> list[OddTurn]:
    """Parts that lie otherwise than at least two others and this `share` of their kind, or than an even part of it at
    0°.

    Half a turn of a part with two like ends is no matter.
    """
    found = []
    for kind in kinds:
        counts = kind.lies.sum(axis=0)
        sure = counts.max() >= max(OTHERS, share * len(kind.parts))
        if not sure and not (counts * kind.by_standard()).any():
            continue
        most = int((counts if sure else counts * kind.by_standard()).argmax())
        others = tuple(p.ref for p, lies in zip(kind.parts, kind.lies, strict=True) if lies[most])
        for part, lies in zip(kind.parts, kind.lies, strict=True):
            like_ends = len(part.pads) == 2 and not (part.package.polarised and part.package.told)
            if not part.populated or lies[most] or (like_ends and (lies[(most + 2) % 4] or not sure)):
                continue
            quarters = (int(lies.argmax()) - most) % 4
            found.append(OddTurn(part, (part.rotation_deg + 90 * quarters) % 360, others, bool(sure)))
    return found


def kinds_of(parts: Sequence[Part]) -> list[PartKind]:
    """Parts of one body and letter whose pads are named alike, split by pattern; one alike in all quarter turns tells
    nothing.
    """
    groups: dict[tuple[str, str, tuple[str, ...]], list[tuple[Part, list[int]]]] = defaultdict(list)
    found: list[PartKind] = []
    start = 0
    for part in (parts := [p for p in parts if p.pads]):
        names = [pad.pin if pad.named else "" for pad in part.pads]
        order = sorted(range(len(names)), key=names.__getitem__)
        groups[letters_of(part.ref), part.package.code, tuple(names[i] for i in order)].append(
            (part, [start + i for i in order])
        )
        start += len(names)
    middles = shapely.get_coordinates(shapely.centroid([pad.polygon for part in parts for pad in part.pads]))
    for (_, _, pins), members in groups.items():
        left = [part for part, _ in members]
        patterns = _turned_back(left, middles[[at for _, at in members]])
        while len(left) > 1:
            lies = _lies_like(patterns, patterns[0], pins)
            same = lies.any(axis=1)
            if not same.any():  # a grid of pads without names is not even told to be like itself
                break
            if same.sum() > 1 and not lies[same].all():
                found.append(PartKind(tuple(left[i] for i in np.flatnonzero(same)), lies[same]))
            left, patterns = [left[i] for i in np.flatnonzero(~same)], patterns[~same]
    return found


def _turned_back(parts: Sequence[Part], at: NDArray[np.float64]) -> NDArray[np.float64]:
    """Middles of pads (n × m × 2, mm) seen from each part's own side about their mean, turned back by the listed
    turn.
    """
    seen = at - at.mean(axis=1, keepdims=True)
    seen[..., 0] *= np.array([-1.0 if p.side == "bottom" else 1.0 for p in parts])[:, None]
    angle = np.radians([p.rotation_deg for p in parts])[:, None]
    cos, sin = np.cos(angle), np.sin(angle)
    x, y = seen[..., 0], seen[..., 1]
    return np.stack([x * cos + y * sin, y * cos - x * sin], axis=-1)


def _lies_like(patterns: NDArray[np.float64], first: NDArray[np.float64], pins: tuple[str, ...]) -> NDArray[np.bool_]:
    """For each pattern (n × m × 2) and quarter turn k: it is the first one turned by k · 90° (n × 4).

    Pads are compared by name where the names tell them apart, else each with its nearest.
    """
    found = np.zeros((len(patterns), 4), dtype=bool)
    named = len(set(pins)) == len(pins)
    for k in range(4):
        cos, sin = ((1, 0), (0, 1), (-1, 0), (0, -1))[k]
        turned = first @ np.array([[cos, sin], [-sin, cos]])
        if named:
            off = np.hypot(*np.moveaxis(patterns - turned, -1, 0)).max(axis=1)
        else:
            if len(first) > MANY:
                break
            gaps = np.hypot(*np.moveaxis(patterns[:, :, None] - turned[None, None], -1, 0))
            off = np.maximum(gaps.min(axis=2).max(axis=1), gaps.min(axis=1).max(axis=1))
        found[:, k] = off < ALIKE_MM
    return found
