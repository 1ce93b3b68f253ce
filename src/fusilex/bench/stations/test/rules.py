"""The rules of Test, as F1 shows them."""

from __future__ import annotations

from fusilex.core.judgement import Rule

RULES = {
    "test.short": Rule(
        "Nets whose pads stand closer than 0.6 mm edge to edge read above 100 Ω with the power off; where resistors or"
        " coils join them, above half of what those parts give.",
        "Probe plan from pads and nets; effective resistance of the network between them",
    ),
    "test.hidden": Rule(
        "Every joint under a bottom-terminated body is in a pair that is read.", "Package names and pads; probe plan"
    ),
    "test.nets": Rule(
        "Pads are on nets that a file names; only then can be told which neighbours must be apart.",
        "Netlist, or net attributes of the copper",
    ),
    "test.unread": Rule("A pair that was not read can not be judged.", "Probe plan"),
}
