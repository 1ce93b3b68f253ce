"""The rules of Inspect, as F1 shows them."""

from __future__ import annotations

from fusilex.core.judgement import Rule

RULES = {
    "inspect.yield": Rule(
        "Boards without a fault at their first inspection, over boards inspected, with the 95 % Wilson interval.",
        "Wilson score interval (1927)",
    ),
    "inspect.hidden": Rule("Joints under a bottom-terminated body cannot be seen.", "Package kind; decide at Test"),
    "inspect.fault": Rule(
        "A fault that eyes or a meter found is repaired, or accepted with a reason.",
        "The workmanship standard your shop adopted",
    ),
    "inspect.pattern": Rule(
        "More faults at a value of some attribute than chance lets expect, held at 5 % false findings over all that was"
        " looked at; what another value explains is not named.",
        "Hypergeometric mid-p, Benjamini and Hochberg, Cochran–Mantel–Haenszel",
    ),
    "inspect.causes": Rule(
        "Causes in the order in which small workshops meet them, each with 1 over its place; the surest finding of this"
        " batch that speaks for one adds 6, the second half of that; 3 faults or more that gather nowhere it would show"
        " count 0.4 times.",
        "Published process guides; your own sheets win",
    ),
    "inspect.photo": Rule(
        "A picture is brought straight by the board's outline and features; each part is looked for as it lies, turned"
        " about and not there, tones are held against the board beside it, joints against one another. Suggestions to"
        " look at, no verdicts.",
        "Features of Lowe (2004), correlation of renders; other good boards show what varies",
    ),
    "inspect.tour": Rule(
        "Every joint of a side whole in some field of the microscope, by the fewest fields found; beside it a"
        " number that no tour can be below.",
        "Covering by an integer programme; bounded by its dual",
    ),
    "inspect.doubt": Rule(
        "What earlier steps are unsure of: deposits that were marked, marks that hands looked at once, joints that the"
        " oven's twin, held to the log of the run, does not vouch for; of a run by eye those that melt last.",
        "The batch's record, twin of the oven",
    ),
    "inspect.first": Rule(
        "The first board of a step is seen in full, field by field, and signed before others are built on it.",
        "First article inspection, as your quality plan has it",
    ),
    "inspect.unseen": Rule("Every board is looked over before it is tested.", "The batch's record"),
}
