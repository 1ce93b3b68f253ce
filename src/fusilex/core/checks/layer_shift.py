"""Layers that lie elsewhere than the others: paste or holes from another origin or unit, a side plotted as seen from
below.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import shapely
from msgspec.structs import asdict
from numpy.typing import NDArray

from fusilex.core.checks.findings import Finding
from fusilex.core.checks.fixes import Fix
from fusilex.core.checks.systematic import SystematicFit, fit_unnamed
from fusilex.core.design.model import Design, Layer
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

MIDDLE_MM = 0.1
MET, MISSED = 0.75, 0.5
"""Share of the plated holes that meet one side's pads, and of those that meet the other's, where that one is out of
place.
"""


def layers_elsewhere(design: Design, judged: Iterable[Judgement]) -> list[Finding]:
    """One finding for every layer that does not lie on the others but would, moved as a whole.

    `judged` is what `judge_layers` says of the design.
    """
    off = {j.subject for j in judged if j.rule == "ready.layers"}
    holes = np.array([[h.x, h.y] for h in design.holes if h.plated]).reshape(-1, 2)
    pads = {x.side or "": _pads(x) for x in design.layers if x.role == "copper"}
    found = []
    for side in ("top", "bottom"):
        paste = design.layer("paste", side)
        if f"{side} paste" in off and paste is not None and side in pads:
            fit = fit_unnamed(shapely.get_coordinates(shapely.centroid(paste.polygons)), pads[side])
            found += _moved(f"{side} paste", "its copper", [("paste", side)], fit)
    if "drill" in off:
        return [
            *found,
            *_moved("drill", "the copper", [("drill", "")], fit_unnamed(holes, np.concatenate([*pads.values()]))),
        ]
    if len(holes) and set(pads) >= {"top", "bottom"}:
        met = {side: _share(holes, pads[side]) for side in ("top", "bottom")}
        for side, other in (("bottom", "top"), ("top", "bottom")):
            if met[side] < MISSED and met[other] >= MET:
                fit = fit_unnamed(holes, pads[side])
                of_side = [(x.role, side) for x in design.layers if x.side == side]
                found += _moved(f"{side} layers", "the holes", of_side, fit, back=True)
    return found


def _moved(
    what: str, against: str, layers: list[tuple[str, str]], fit: SystematicFit | None, back: bool = False
) -> list[Finding]:
    """The finding for a convincing fit; `back` where it maps what stays onto what is moved."""
    if fit is None or not fit.convincing:
        return []
    move = fit.correction.inverse if back else fit.correction
    below = move.mirror and what.startswith("bottom")
    words = move.words + (", seen from below" if below else "")
    return [
        Finding(
            "layers",
            what,
            "layers",
            say("shifted, from below" if below else "shifted", what=what, against=against, how=move.says),
            quantities=(
                Quantity("on their pads as they are", f"{fit.before} of {fit.n}"),
                Quantity("moved", f"{fit.after} of {fit.n}"),
            ),
            fix=Fix("move-layers", "", {"layers": layers, "correction": asdict(move)}, f"{what} {words}"),
        )
    ]


def _pads(layer: Layer) -> NDArray[np.float64]:
    return np.asarray(shapely.get_coordinates(shapely.centroid(layer.polygons[layer.flashed])))


def _share(holes: NDArray[np.float64], pads: NDArray[np.float64]) -> float:
    """Share of the holes with a pad's middle where they are."""
    if not len(pads):
        return 1.0
    which, _ = shapely.STRtree(shapely.points(pads)).query(
        shapely.points(holes), predicate="dwithin", distance=MIDDLE_MM
    )
    return len(np.unique(which)) / len(holes)
