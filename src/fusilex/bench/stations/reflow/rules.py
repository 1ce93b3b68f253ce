"""The rules of Reflow, as F1 shows them."""

from __future__ import annotations

from fusilex.core.judgement import Rule

RULES = {
    "reflow.heating": Rule(
        "Steepest slope before the peak, straight line over 10 s, at most 3 °C/s.",
        "Default window; the paste's sheet wins",
    ),
    "reflow.soak": Rule(
        "Time from entering to leaving the soak band, 60 to 120 s.", "Default window; the paste's sheet wins"
    ),
    "reflow.above melting": Rule(
        "Time at or above the alloy's melting temperature, 40 to 90 s, never above 150 s.",
        "Default window; the paste's sheet wins",
    ),
    "reflow.peak": Rule("Highest temperature inside the paste's range.", "Default window; the paste's sheet wins"),
    "reflow.cooling": Rule(
        "Steepest fall after the peak, straight line over 10 s, at most 4 °C/s, hard limit 6.",
        "Default window; the paste's sheet wins",
    ),
    "reflow.to peak": Rule(
        "From leaving 25 °C, or what the probe idled at where that is warmer, to the peak within 8 min (lead-free) or 6"
        " min.",
        "Default window; the paste's sheet wins",
    ),
    "reflow.index": Rule(
        "100 × the worst of |value − middle| / half range over heating, soak, time above melting, peak and cooling; up"
        " to 100 is inside, limits included.",
        "Process window index",
    ),
    "reflow.log": Rule("A load is judged from the log of its run.", "Temperature log"),
    "reflow.joints": Rule(
        "Each part by its worst joint, the twin held to what the probes logged; a verdict that its 95 % interval does"
        " not bear out is open. An oven that nobody fitted may doubt, it may not vouch.",
        "Twin of the oven, window of the paste, limits of the bodies",
    ),
    "reflow.oven": Rule(
        "More than 8 °C and 2.5 of its own residuals off what was foretold, over more than 30 % of the way to the peak:"
        " the oven is not the one of its logs.",
        "Log against twin",
    ),
    "reflow.fit": Rule(
        "The twin of the oven is within 3 °C (RMS) of the logs that it was fitted to; parameters that they leave as"
        " wide as they were are named.",
        "Least squares held by usual values; a residual that lasts counts for fewer samples",
    ),
    "reflow.predicted": Rule(
        "Every joint of the load melts by the twin of this oven. An oven that nobody fitted to a log cannot tell.",
        "Heat spreads by the board's own copper, large bodies lag: design's layers, usual values of materials",
    ),
    "reflow.plan": Rule(
        "The worst joint stays within the window, by the likeliest oven and by all that the logs leave possible: go; by"
        " the likeliest alone: can't tell; else this oven cannot do it.",
        "Process window index over all joints; bodies by J-STD-020, or as typed",
    ),
}
