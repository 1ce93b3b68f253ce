"""The rules of Rework, as F1 shows them."""

from __future__ import annotations

from fusilex.core.judgement import Rule

RULES = {
    "rework.heat": Rule(
        "Parts with a pad inside the radius of the smallest nozzle that covers the part, plus its spread, 3 mm where"
        " nobody says; below 3 mg they may blow away.",
        "Shop default for hot air",
    ),
    "rework.queue": Rule(
        "Open faults, board by board: joints beneath a body first, then what takes most heat, then what lies nearest.",
        "The batch's record, the shop's own times",
    ),
    "rework.again": Rule(
        "A part that was mended and lies within the heat of a later repair melts again.", "Nozzle and spread on record"
    ),
    "rework.worth": Rule(
        "What a good board is worth times the chance that it is good afterwards, less minutes at the dearest hour on"
        " record; nine in ten repairs stand in for ten of the shop's own.",
        "The workshop's records, the batch's own repairs",
    ),
}
