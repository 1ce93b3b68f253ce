"""The rules of Ready: which numbers F1 puts into their texts."""

from __future__ import annotations

from fusilex.core.bare_boards import etching, finest
from fusilex.core.checks import (
    layer_agreement,
    panelised,
    pin_ones,
    reconcile,
    rotations,
    side_order,
    size_codes,
    systematic,
)
from fusilex.core.design import edge, one_of_each
from fusilex.core.rule import constant, rule
from fusilex.formats.lists import design_lists

RULES = {
    "ready.road": rule(),
    "ready.panel": rule(size=constant(panelised, "SIZE_MM", "mm")),
    "ready.systematic": rule(
        **{"on pad": constant(systematic, "ON_PAD_MM", "mm")},
        chance=constant(systematic, "BY_CHANCE", "%", times=100),
        offset=constant(systematic, "OFFSET_MM", "mm"),
    ),
    "ready.rotations": rule(least=constant(rotations, "LEAST"), share=constant(rotations, "SHARE", "%", times=100)),
    "ready.rotation": rule(
        others=constant(rotations, "OTHERS"), majority=constant(rotations, "MAJORITY", "%", times=100)
    ),
    "ready.turns": rule(convention=constant(pin_ones, "CONVENTION")),
    "ready.size-code": rule(),
    "ready.size": rule(far=constant(size_codes, "TOO_FAR")),
    "ready.derived": rule(),
    "ready.twice": rule(
        like=constant(one_of_each, "LIKE", "%", times=100), same=constant(one_of_each, "SAME", "%", times=100)
    ),
    "ready.unread": rule(),
    "ready.frames": rule(line=constant(edge, "EDGE_LINE_MM", "mm"), edge=constant(edge, "EDGE_MM", "mm")),
    "ready.skipped": rule(share=constant(design_lists, "MOST_SKIPPED", "%", times=100)),
    "ready.guessed": rule(),
    "ready.columns": rule(),
    "ready.side-word": rule(),
    "ready.populate": rule(),
    "ready.renamed": rule(near=constant(systematic, "ON_PAD_MM", "mm")),
    "ready.missing": rule(),
    "ready.revision": rule(),
    "ready.layers": rule(
        off=constant(layer_agreement, "OFF_SHARE", "%", times=100),
        holes=constant(layer_agreement, "HOLES_OFF_SHARE", "%", times=100),
    ),
    "ready.doubled": rule(),
    "ready.side": rule(),
    "ready.off-board": rule(),
    "ready.overlap": rule(overlap=constant(reconcile, "OVERLAP_MM", "mm")),
    "ready.two-lines": rule(),
    "ready.quantity": rule(),
    "ready.agree": rule(),
    "ready.package": rule(),
    "ready.polarity": rule(),
    "ready.note": rule(),
    "ready.netlist": rule(),
    "ready.sides": rule(),
    "ready.drop": rule(
        limit=constant(side_order, "DROP_LIMIT_MG_PER_MM2", "mg/mm²"),
        care=constant(side_order, "CARE_SHARE", "%", times=100),
    ),
    "ready.bare": rule(),
    "ready.finest": rule(care=constant(finest, "CARE_SHARE")),
    "ready.etch": rule(
        minutes=constant(etching, "FRESH_MINUTES", "min"),
        thick=constant(etching, "AT_UM", "µm"),
        warm=constant(etching, "AT_C", "°C"),
        doubles=constant(etching, "DOUBLES_EVERY_C", "K"),
        runs=constant(etching, "OWN_RUNS"),
    ),
    "ready.bath": rule(
        copper=constant(etching, "SLOW_AT_G_PER_L", "g"),
        care=constant(etching, "CARE_FULL", "%", times=100),
        density=constant(etching, "COPPER_G_PER_CM3", "g/cm³"),
    ),
}
