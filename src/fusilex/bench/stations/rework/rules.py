"""The rules of Rework, as F1 shows them."""

from __future__ import annotations

from fusilex.core.judgement import Rule

RULES = {
    "rework.heat": Rule(
        "Parts with a pad inside the nozzle's radius plus 3 mm; below 3 mg they may blow away.",
        "Shop default for hot air",
    ),
    "rework.queue": Rule("Open faults, board by board.", "The batch's record"),
}
