"""What the Route picture shows of a step beside its pad."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.common.route import Laid
from fusilex.core.checks.side_order import SIDE_ORDERS, side_load
from fusilex.core.route.looks import BoardLook, looks
from fusilex.core.route.steps import ONE_SIDED, Step


def board_looks(batch: Batch) -> dict[str, BoardLook]:
    """How a board looks after each step."""
    return looks(batch.steps, {step.id: batch.parts_of(step.id) for step in batch.steps})


def step_words(batch: Batch, step: Step) -> tuple[str, str]:
    """What is done at a step, and to which parts."""
    side = {"both": "", "": ""}.get(step.side, f" {step.side}")
    words = "hand and machine" if step.method == "both" else step.method
    methods = f" by {words}" if step.station in ONE_SIDED else f", {step.method}" if step.method else ""
    parts = batch.parts_of(step.id)
    named = ", ".join(p.ref for p in parts[:12]) + (f" and {len(parts) - 12} more" if len(parts) > 12 else "")
    count = f"{len(parts)} part{'s' if len(parts) != 1 else ''}"
    return f"{step.station}{side}{methods}", f"{count}: {named}" if parts else ""


def order_words(batch: Batch, order: str) -> str:
    """The order of sides in words, and whether the route still is what it leads to."""
    pasted = [s for s in ("top", "bottom") if side_load(batch.design, s).parts]
    said = (
        SIDE_ORDERS[order]
        if len(pasted) > 1
        else f"only the {pasted[0]} has parts for paste"
        if pasted
        else "no part for paste"
    )
    as_proposed = batch.steps == batch.derived.route(order, batch.state[Laid].ways)
    return said + ("" if as_proposed else ", changed by hand")
