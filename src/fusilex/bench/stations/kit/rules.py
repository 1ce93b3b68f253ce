"""The rules of Kit, as F1 shows them."""

from __future__ import annotations

from fusilex.bench.common.mended import STOCK_RULE
from fusilex.core.judgement import Rule

RULES = {
    "kit.mended": STOCK_RULE,
    "kit.unfilled": Rule(
        "A bin is filled, and its bag checked, before a piece of it goes onto a board.", "Shop practice"
    ),
    "kit.bag": Rule(
        "Value or part number stand on the label and agree; body, tolerance, voltage and dielectric agree as far as"
        " label and line both say them; a tighter tolerance and a higher voltage pass. A value that cannot be read, or"
        " two that differ, settle nothing.",
        "Comparison with units understood: 100n = 0.1uF = 104",
    ),
    "kit.value": Rule(
        "The value of a resistor, capacitor, coil or crystal is a number with its unit in one of the usual writings.",
        "Bill of materials; the writings that are read stand in the documentation",
    ),
    "kit.cover": Rule(
        "Stock that fits covers the pull quantity of every bin not filled yet.",
        "Lots in stock, less what other batches reserved",
    ),
    "kit.moisture": Rule(
        "Hours open since the last bake against the floor life of the level at ≤ 30 °C and 60 % RH; care in its last"
        " quarter.",
        "J-STD-033; the bag's label wins",
    ),
    "kit.programme": Rule(
        "Parts that carry a programme have file and version on record before their bin is filled.", "The batch's record"
    ),
    "kit.strap": Rule(
        "Wrist strap and cord read 0.75 to 35 MΩ, tested before the first bag is opened.", "ANSI/ESD S20.20 and S1.1"
    ),
    "kit.short": Rule("A bin holds at least boards × pieces per board.", "Pull list"),
    "kit.spares": Rule(
        "Pull = need × (1 + loss), rounded up, + minimum extra. Loss and extra of two-ended parts by length: up to 0.6"
        " mm 5 % + 10, 1.0 mm 3 % + 8, 1.6 mm 2 % + 5, longer 1 % + 3; others 0 % + 1.",
        "Shop defaults for hand and small-machine work",
    ),
    "kit.waiting": Rule("A bin that was not counted can not be judged.", "Pull list"),
    "kit.alike": Rule(
        "Values in one body that differ in a single character are easily swapped.", "Comparison of labels"
    ),
}
