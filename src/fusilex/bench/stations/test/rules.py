"""The rules of Test, as F1 shows them."""

from __future__ import annotations

from fusilex.core.judgement import Rule

RULES = {
    "test.short": Rule(
        "Nets whose pads stand closer than 0.6 mm edge to edge read above 100 Ω with the power off; where resistors or"
        " coils join them, above half of what those parts give. Limits are drawn in by what the meter leaves open,"
        " 1 % and 0.3 Ω where nobody noted it. By ear: a beeper that sounds up to 10 Ω or more stays silent.",
        "Probe plan from pads and nets; effective resistance of the network between them; JCGM 106:2012",
    ),
    "test.open": Rule(
        "A joint reads below 2 Ω from the easiest pad of its net: joint, track and leads together.",
        "Pads of each net; reading at the part's own end",
    ),
    "test.value": Rule(
        "Nets that resistors join read what those give, within 5 % or their widest tolerance. More proves a wrong part"
        " or an open joint; less may be a part beside them. Between pins whose limits are on record, those limits.",
        "Effective resistance of the network (Klein and Randić 1993); pin limits of the workshop",
    ),
    "test.hidden": Rule(
        "Every joint under a bottom-terminated body is in a pair that is read.", "Package names and pads; probe plan"
    ),
    "test.nets": Rule(
        "Pads are on nets that a file names; only then can be told which neighbours must be apart.",
        "Netlist, or net attributes of the copper",
    ),
    "test.unread": Rule("A pair that was not read can not be judged.", "Probe plan"),
    "test.plan": Rule(
        "Readings are ordered by what they find a second, one tip parked; the best of them fill the minutes there are."
        " Supplies are always read.",
        "Least-cost testing sequence (Mitten 1960); knapsack with set-ups",
    ),
    "test.waived": Rule("What was left unread for a reason goes out with that reason.", "The batch's record"),
    "test.sample": Rule(
        "Boards drawn at random are tested in full; when all of them are good, at most so many of the batch are bad"
        " with the stated confidence. A finding on any board ends it: every board is tested in full again.",
        "Hypergeometric bound (Hahn and Meeker 1991)",
    ),
    "test.power": Rule(
        "First three tenths of the voltage for 5 s, then all of it for 10 s, at a limit of the expected draw times the"
        " margin on record; at the limit, or with the voltage at the board 5 % off, the supply goes off at once.",
        "Draws of the parts on record; first power of the workshop",
    ),
    "test.programme": Rule(
        "The file that was written is the one on record, by its digest, and its version is the present one.",
        "Firmware of the workshop; SHA-256",
    ),
    "test.function": Rule(
        "What is measured lies within its limits, drawn in by its uncertainty; what is asked is answered with yes.",
        "Test list of the workshop; JCGM 106:2012",
    ),
    "test.fixture": Rule(
        "The golden board reads well on the fixture before any board does, and again after the hours on record;"
        " contacts last so many cycles.",
        "Fixture of the workshop",
    ),
    "test.instrument": Rule(
        "When 3 boards and more than half of all are out on the same side, or readings drift, the golden board is"
        " measured again before a board is blamed.",
        "Mann and Kendall's trend test at 1 %; the trade's habit",
    ),
    "test.reading": Rule("A measurement lies within its limits, drawn in by its uncertainty.", "JCGM 106:2012"),
    "test.odd": Rule(
        "Among 6 boards or more one whose robust z is beyond 3.5 does not belong.", "Iglewicz and Hoaglin 1993"
    ),
    "test.cpk": Rule(
        "Of 20 boards or more the nearer limit lies at least 1.33 × 3 s from their mean.", "Cpk (ISO 22514-2)"
    ),
}
