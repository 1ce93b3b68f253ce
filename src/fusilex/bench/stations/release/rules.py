"""The rules of Release, as F1 shows them."""

from __future__ import annotations

from fusilex.bench.common.mended import RULE
from fusilex.core.judgement import Rule

RULES = {
    "release.record": Rule(
        "A board leaves with print, load, inspection and a passed test on record, and no open fault.",
        "The batch's record",
    ),
    "release.mended": RULE,
    "release.overruled": Rule(
        "What was passed because somebody had a reason goes out with that reason.", "The batch's record"
    ),
}
