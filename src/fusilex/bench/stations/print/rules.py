"""The rules of Print, as F1 shows them."""

from __future__ import annotations

from fusilex.core.judgement import Rule

RULES = {
    "print.age": Rule(
        "Printed paste keeps its tack for 4 h and is molten within 8 h of its print.",
        "Typical sheet; the paste's own wins",
    ),
    "print.release": Rule(
        "Area ratio = opening area / (perimeter × foil thickness): go from 0.66, care from 0.60, stop below. Aspect"
        " ratio = narrowest width / foil thickness: go from 1.5. Openings are connected areas; the narrowest width of a"
        " bent one is its thinnest arm.",
        "IPC-7525 stencil design guidelines",
    ),
    "print.hidden": Rule(
        "Joints under a body cannot be inspected after reflow: bodies named QFN, DFN, SON, LGA, BGA, CSP, or with a pad"
        " wholly under them.",
        "Package names and pads",
    ),
    "print.joined": Rule(
        "An opening lies over pads of one net only: more than a quarter of a pad under it counts.",
        "Paste layer against pads and nets",
    ),
    "print.mass": Rule(
        "Mass = Σ area × foil × transfer × paste density; transfer = 1 / (1 + exp(−12 (area ratio − 0.50))).",
        "Expected transfer curve; paste density from its metal load",
    ),
    "print.powder": Rule(
        "Five of the largest balls across the narrowest rectangular opening, eight across a round one.",
        "J-STD-005 powder types",
    ),
}
