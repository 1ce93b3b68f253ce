"""The rules of Print, as F1 shows them."""

from __future__ import annotations

from fusilex.core.judgement import Rule

RULES = {
    "print.age": Rule(
        "Printed paste keeps its tack for 4 h and is molten within 8 h of its print.",
        "Typical sheet; the paste's own wins",
    ),
    "print.release": Rule(
        "Area ratio = opening area / (perimeter × foil thickness): go from 0.66, care from 0.60, stop below. Aspect"
        " ratio = narrowest width / foil thickness: go from 1.5. Openings are connected areas; the narrowest width of a"
        " bent one is its thinnest arm.",
        "IPC-7525 stencil design guidelines",
    ),
    "print.hidden": Rule(
        "Joints under a body cannot be inspected after reflow: bodies named QFN, DFN, SON, LGA, BGA, CSP, or with a pad"
        " wholly under them.",
        "Package names and pads",
    ),
    "print.joined": Rule(
        "An opening lies over pads of one net only: more than a quarter of a pad under it counts.",
        "Paste layer against pads and nets",
    ),
    "print.mass": Rule(
        "Mass = Σ area × foil × transfer × paste density; transfer = 1 / (1 + exp(−12 (area ratio − 0.50))).",
        "Expected transfer curve; paste density from its metal load",
    ),
    "print.powder": Rule(
        "Five of the largest balls across the narrowest rectangular opening, eight across a round one.",
        "J-STD-005 powder types",
    ),
    "print.land": Rule(
        "Up to 2 % of an opening beyond its land is go, up to 20 % care, more stop.",
        "Paste beside a land makes balls and bridges; the shop's own sheet wins",
    ),
    "print.web": Rule(
        "The web of foil between two openings: go from 0.15 mm, care from 0.10 mm, stop below.",
        "Narrower webs bend and tear; the stencil maker's own limit wins",
    ),
    "print.missing": Rule(
        "Every surface-mount pad of a part that is fitted has an opening.", "Paste layer against pads and parts"
    ),
    "print.windows": Rule(
        "A pad from 9 mm² on is printed through windows that cover 50 to 80 % of it.",
        "IPC-7525 stencil design guidelines",
    ),
    "print.aligned": Rule(
        "Share of each opening on its own pad: go from 75 %, stop below 50 %. Free gap to the next pad"
        " of another net: go"
        " from 0.10 mm and 50 % of what was drawn, stop below 0.05 mm or 25 %. Go only where 95 % of"
        " what the looks allow"
        " is go, and for five prints after a look.",
        "Least squares over looks that read to 0.015 mm; paste that touches the next pad joins it in the oven",
    ),
    "print.misread": Rule(
        "A look that the others make less likely than 1 % to be good, and that lies more than 0.02 mm off.",
        "F test of the residuals without it (Bonferroni)",
    ),
    "print.slip": Rule("Two looks at one place agree within 0.04 mm.", "The foil cannot lie in two ways at once"),
    "print.stretch": Rule(
        "Stretch beyond its own 95 % and 0.2 mm per m means foil and board differ.",
        "Least squares with three places or more",
    ),
    "print.look": Rule(
        "Fine openings, up to 0.3 mm wide or apart, and deposits that are missing, are printed again;"
        " bare mask sends paste"
        " back to big pads.",
        "Practice; the shop's own rule wins",
    ),
    "print.first": Rule(
        "The first print, the first after 1 h or a wipe, fills the foil anew.",
        "Practice; such prints stand apart in the run chart",
    ),
    "print.wipe": Rule(
        "Wiped every 5 prints; once 3 smears or bridges were seen, one print before a quarter of them came.",
        "This batch's own marks",
    ),
    "print.drift": Rule(
        "Each print in standard errors of those before it (moving ranges / 1.128), averaged with weight"
        " 0.2: beyond 2.85 of"
        " the mean's, or one print beyond 3.4, is a change. One alarm without cause in about 119 prints.",
        "EWMA chart, self-starting; by simulation",
    ),
    "print.transfer": Rule(
        "Measured over predicted between 0.7 and 1.3, unless its 95 % hold 1.", "Weighed prints; Student's t"
    ),
    "print.ahead": Rule(
        "All parts of all printed boards go on before the first paste loses its tack, at the slower end"
        " (95 %) of the pace of"
        " the last 400 parts.",
        "The paste's sheet and this batch's record",
    ),
    "print.room": Rule(
        "Best from 20 to 26 °C and 40 to 60 %; stop below 16, above 30 °C, above 75 %.",
        "Usual paste sheets; the paste's own wins",
    ),
    "print.jig": Rule(
        "Frame and board of one height: care from 0.05 mm, stop from 0.10 mm.",
        "Half the step times the opening's area more paste",
    ),
    "print.way": Rule(
        "Stencil for pitch up to 0.65 mm, openings under 0.6 mm and hidden joints; else what takes less time.",
        "Practice: 20 min to set a foil up, 1.5 min a print, 2.4 s of dots and 0.8 s of way a pad, 6 s to tin one",
    ),
    "print.alloy": Rule(
        "What follows from the alloy: heat, age, breaking, law.", "Melting points and habits of the alloys; sheets win"
    ),
    "print.support": Rule("Scraps of the board's thickness lie all round it.", "The foil rests on one plane"),
    "print.blade": Rule("A blade reaches 10 mm beyond the print on either side.", "Practice"),
    "jar.life": Rule(
        "Life used = ∫ dt / life(T), log-linear between the sheet's points: care from 80 %, stop from 100 %. Known only"
        " where its record says since when.",
        "The paste's sheet; six months up to 10 °C and one month at 25 °C where it says nothing",
    ),
    "jar.frozen": Rule("No colder than −2 °C.", "Usual paste sheets keep it from 2 to 10 °C; the paste's own wins"),
    "jar.cold": Rule(
        "Closed until less than 2 °C under the room and above its dew point; jars take 1 h, syringes 1/4 h (τ).",
        "Magnus' formula for the dew point",
    ),
    "jar.opened": Rule("Care 24 h after it was opened first.", "Usual paste sheets; the paste's own wins"),
    "jar.stirred": Rule("A jar is stirred after it was opened.", "Flux and powder part while it stands"),
    "jar.expired": Rule("The date on the label is not past.", "The maker's label"),
    "jar.left": Rule(
        "What is left covers the panels still to print and 8 g of bead.", "Prints predicted from the openings"
    ),
    "dots.needle": Rule("Seven of the largest balls across the bore of a needle.", "J-STD-005 powder types"),
    "dots.size": Rule(
        "A dot is no more than twice what the pad wants; care up to four times. What it holds is assumed until 20 were"
        " weighed.",
        "Volume a stencil would leave over that of a dot",
    ),
    "dots.cold": Rule("Below 18 °C paste comes out stiff.", "Practice: warm syringe and board slightly"),
}
