"""What the layers and drill files add up to: one layer a role and side, every hole once."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
import shapely
from numpy.typing import NDArray

from fusilex.core.checks.layer_agreement import shared
from fusilex.core.design.model import Hole, Layer, Remark
from fusilex.core.evidence import Level
from fusilex.core.wording import say

SAME, LIKE = 0.95, 0.5
"""Share of a layer's shapes that another file has too, from which on it is the same again, or another state of the
same.
"""


class Layers:
    """Files of one role and side: parts of one layer, the same once more, or two states of which one counts."""

    def __init__(self) -> None:
        self.also: dict[str, str] = {}  # what else was found about a file
        self._differ: list[tuple[str, str]] = []

    def one_of_each(self, images: Mapping[str, Layer]) -> list[Layer]:
        """One layer a role and side, in the order of the files; those nearest the top of the folder count first."""
        groups: dict[tuple[str, str | None], dict[str, Layer]] = {}
        for file in sorted(images, key=lambda name: name.count("/")):
            layer = images[file]
            kept = groups.setdefault((layer.role, layer.side), {})
            if not self._seen(file, {k: (shared(layer, x), len(layer) / max(1, len(x))) for k, x in kept.items()}):
                kept[file] = layer
        return [_joined(key, list(group.values())) for key, group in groups.items()]

    def holes_once(self, drilled: Mapping[str, tuple[Hole, ...]]) -> tuple[Hole, ...]:
        """The holes of all drill files, each once: a file of all holes may lie beside one of the plated alone."""
        found: list[Hole] = []
        for file in sorted(drilled, key=lambda name: (name.count("/"), len(drilled[name]))):
            again = _among(drilled[file], found)
            share = float(again.mean()) if len(again) else 0.0
            if share == 1.0 or LIKE <= share < SAME:
                self._seen(file, {"another drill file": (share, 1.0)})
            if not LIKE <= share < SAME:
                found += [h for h, is_there in zip(drilled[file], again.tolist(), strict=True) if not is_there]
        return tuple(found)

    @property
    def remarks(self) -> list[Remark]:
        """One remark for all files that are another state of what counts."""
        if not self._differ:
            return []
        text = say("differ", pairs=tuple(f"{kept} / {aside}" for kept, aside in self._differ))
        return [Remark("ready.twice", "layers", text, say("keep one"), Level.STOP)]

    def _seen(self, file: str, alike: Mapping[str, tuple[float, float]]) -> bool:
        """True for a file that is not used because of one before it, given the share of shapes and the ratio of their
        numbers.
        """
        kept, (share, ratio) = max(alike.items(), key=lambda item: item[1], default=("", (0.0, 1.0)))
        if share >= SAME and SAME <= ratio <= 1 / SAME:
            self.also[file] = f"; not used, {kept} says the same"
        elif share >= LIKE:
            self.also[file] = f"; not used, it differs from {kept}"
            self._differ.append((kept, file))
        return share >= LIKE


def _joined(key: tuple[str, str | None], group: Sequence[Layer]) -> Layer:
    """Several files of one role and side as one layer."""
    if len(group) == 1:
        return group[0]
    return Layer(
        *key,
        np.concatenate([g.polygons for g in group]),
        np.concatenate([g.flashed for g in group]),
        sum((g.nets for g in group), ()),
        sum((g.pins for g in group), ()),
        sum((g.functions for g in group), ()),
        sum((g.unread for g in group), ()),
    )


def _among(holes: Sequence[Hole], others: Sequence[Hole]) -> NDArray[np.bool_]:
    """Which holes are among others (n): same place within 20 µm, same diameter within 30 µm."""
    there = np.zeros(len(holes), dtype=bool)
    if len(holes) and len(others):
        tree = shapely.STRtree(shapely.points([[h.x, h.y] for h in others]))
        which, whom = tree.query(shapely.points([[h.x, h.y] for h in holes]), predicate="dwithin", distance=0.02)
        size, sizes = np.array([h.diameter for h in holes]), np.array([h.diameter for h in others])
        there[which[np.abs(size[which] - sizes[whom]) < 0.03]] = True
    return there
