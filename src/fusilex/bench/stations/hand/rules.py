"""The rules of Hand, as F1 shows them."""

from __future__ import annotations

from fusilex.core.judgement import Rule

RULES = {
    "hand.order": Rule(
        "Lowest first, so that the board lies flat on every part; surface-mount before through-hole; a joint before"
        " what would stand over it or, by half its height, beside it; the board turned as seldom as it can be.",
        "Package heights, catalogue, the board's own lands",
    ),
    "hand.task": Rule("A board leaves when its wires, harnesses and late parts are on it.", "The batch's record"),
    "hand.joint": Rule(
        "Two hollow cones and the filled hole, the hole 0.25 mm wider than its lead, or a wedge up the body; wire with"
        " 2.2 % of flux by mass. The lowest setting that wets at once; for much copper a wider tip and longer.",
        "Geometry of the joint, IPC-2222 level B holes; your wire's sheet wins",
    ),
}
