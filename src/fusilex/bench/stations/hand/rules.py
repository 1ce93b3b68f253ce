"""The rules of Hand, as F1 shows them."""

from __future__ import annotations

from fusilex.core.judgement import Rule

RULES = {
    "hand.order": Rule(
        "Lowest first, so that the board lies flat on every part; surface-mount before through-hole.",
        "Package heights, catalogue",
    ),
}
