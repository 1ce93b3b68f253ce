"""The rules of Release, as F1 shows them."""

from __future__ import annotations

from fusilex.bench.common.mended import RULE
from fusilex.core.judgement import Rule

RULES = {
    "release.record": Rule(
        "A board leaves with print, load, inspection and a passed test on record, and no open fault.",
        "The batch's record",
    ),
    "release.cut": Rule(
        "Each cut runs from edge to edge of the piece in hand. Ceramic capacitors within 5 mm of a cut are care, within"
        " 2 mm stop, until somebody has looked at them after it.",
        "Score lines, tabs and bodies; makers' guides to mounting ceramic capacitors",
    ),
    "release.ready": Rule(
        "A board is cut out, cleaned, looked at, coated where the batch is, labelled and bagged.", "The batch's record"
    ),
    "release.weight": Rule(
        "Among 6 boards or more one whose weight is beyond a robust z of 3.5 is looked at.",
        "Iglewicz and Hoaglin 1993",
    ),
    "release.picture": Rule("At least one picture of every batch is kept.", "The batch's record"),
    "release.mended": RULE,
    "release.overruled": Rule(
        "What was passed because somebody had a reason goes out with that reason.", "The batch's record"
    ),
}
