"""Which part is put on at which step."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from fusilex.core.design.model import Part
from fusilex.core.placing.order import placing_order
from fusilex.core.route.steps import WITH_PARTS, Steps
from fusilex.core.soldering.order import by_height


def share_out(parts: Iterable[Part], steps: Steps, school: str = "kind") -> dict[str, list[Part]]:
    """Parts by the step that puts them on, in working order.

    A step that names a part has it. Other surface-mount parts go to the first Place step of their side, what is left
    to the first Hand step of their side, or of both. Parts no step takes are under ''.
    """
    named = {ref: step.id for step in steps for ref in step.parts}
    shared: dict[str, list[Part]] = {step.id: [] for step in steps if step.station in WITH_PARTS}
    shared[""] = []
    for part in parts:
        if part.populated:
            shared[named.get(part.ref, "") or _taker(part, steps)].append(part)
    return {id: _in_order(parts, steps, id, school) for id, parts in shared.items()}


def _taker(part: Part, steps: Steps) -> str:
    for step in steps:
        if step.station == "Place" and not step.parts and step.side == part.side and not part.through_hole:
            return step.id
    return next((s.id for s in steps if s.station == "Hand" and s.side in ("", "both", part.side)), "")


def _in_order(parts: Sequence[Part], steps: Steps, id: str, school: str) -> list[Part]:
    placed = id in steps.by_id and steps.by_id[id].station == "Place"
    return placing_order(parts, school) if placed else by_height(parts)
