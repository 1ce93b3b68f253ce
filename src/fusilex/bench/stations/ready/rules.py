"""The rules of Ready, as F1 shows them."""

from __future__ import annotations

from fusilex.core.judgement import Rule

RULES = {
    "ready.road": Rule(
        "Paste is printed before parts are placed on it and molten before the board is turned; every part is put on at"
        " some step.",
        "The batch's road",
    ),
    "ready.panel": Rule(
        "Most parts or pins stand in the files several times, and the pads repeat at an even pitch.",
        "Shift that lands most pads on pads of their size",
    ),
    "ready.systematic": Rule(
        "Fewer than half of a side's placements meet their pads as listed, and one shift, quarter turn, mirror or unit"
        " factor brings more than half of them within 0.3 mm, which chance would do in less than 1 % of such lists. Or"
        " all are off by 0.1 mm and more in the same direction.",
        "Median shift over every turn, mirror and unit factor; most placements on their pads wins",
    ),
    "ready.rotations": Rule(
        "Parts of one kind have one pattern of pads: turned back by the list they lie alike. Counting clockwise, a"
        " constant for the bottom, or both, puts at least 3 parts right and leaves no more than a fifth of those that"
        " can tell.",
        "Comparison of placement list and pads; within one side a constant turn does not show",
    ),
    "ready.rotation": Rule(
        "A part lies like at least two others and two thirds of its kind, once each is turned back by what the list"
        " says; a kind more evenly split is a care, and pin 1 left or upper left at 0° is held right. Half a turn of a"
        " part with two like ends is no matter.",
        "Comparison of placement list and pads; IEC 61188-7, level A",
    ),
    "ready.size-code": Rule(
        "A four-digit size code that stands in both inch and metric code fits the pads in the code it is read in: their"
        " middles stand about one body length apart.",
        "IPC-7351 land patterns, nominal density; table of inch and metric chip sizes",
    ),
    "ready.size": Rule(
        "A chip has one size in both lists, and its pads' middles stand no further apart than 1.45 body lengths, no"
        " nearer than 1 / 1.45.",
        "IPC-7351 land patterns: about one body length at nominal density, up to 1.3 for the iron",
    ),
    "ready.derived": Rule(
        "A layer or list that was not handed in is worked out from the others and said to be.",
        "Paste: mask windows without leads' holes, cut to the copper. Outline: box round the copper. Parts: pads by"
        " pitch and symmetry",
    ),
    "ready.twice": Rule(
        "A layer stands in one file, or in parts: of its shapes less than half stand in another file of the same role"
        " and side. From 95 % on it is the same once more.",
        "Middles and areas of the shapes",
    ),
    "ready.unread": Rule(
        "Every statement of a layer is understood, every aperture is defined, and no filled contour crosses itself.",
        "Gerber layer format specification; area of a contour before and after it is taken apart",
    ),
    "ready.frames": Rule(
        "A line of 2 mm and more that keeps within 0.3 mm of the board's edge, and whatever lies beyond it, is no"
        " opening.",
        "Paste layer against the outline",
    ),
    "ready.skipped": Rule(
        "Every line of a list that names a part can be read; up to a tenth of its lines may not, beyond that the list"
        " cannot.",
        "Placement list or bill of materials, line by line",
    ),
    "ready.guessed": Rule(
        "A layer whose attributes and name say nothing is told by its shapes: paste lies inside mask, mask over copper,"
        " an outline is one thin closed line.",
        "Shapes of the layers against one another",
    ),
    "ready.columns": Rule(
        "A list has its columns named by a header, or told by their content: designators, lengths, angles, side words.",
        "Header and first rows of the list",
    ),
    "ready.side-word": Rule(
        "A word for a side that is in no dictionary here, or a list that names none, means the side on which more of"
        " its parts stand in the middle of pads.",
        "Placements against paste openings, or copper where there is no paste",
    ),
    "ready.populate": Rule(
        "A part that one list marks as not to be fitted is marked so in the other, or not on it.",
        "Comparison by reference designator",
    ),
    "ready.renamed": Rule(
        "A part that only the placement list knows lies within 0.3 mm of the middle of the pads of a part that only the"
        " bill of materials knows.",
        "Comparison of lists and pads",
    ),
    "ready.missing": Rule(
        "Every part on the bill of materials has a placement, every placement is bought, and every part sits on pads:"
        " their centre is no further off than half its body.",
        "Comparison by reference designator",
    ),
    "ready.revision": Rule(
        "Files that name a revision name the same one.", "Project attribute of the layers, or the files' names"
    ),
    "ready.layers": Rule(
        "Paste lies on copper, plated holes meet copper, pads lie inside the outline: no more than 5 % of them"
        " elsewhere, of plated holes 25 %.",
        "Layers against one another",
    ),
    "ready.doubled": Rule("A reference designator stands once in each list.", "Comparison by reference designator"),
    "ready.side": Rule(
        "A surface-mount part is listed for the side its pads are on.", "Comparison of placement list and copper"
    ),
    "ready.off-board": Rule(
        "A part's centre is inside the outline, or outside by no more than half its body: receptacles may overhang.",
        "Comparison of placement list and outline",
    ),
    "ready.overlap": Rule("Bodies of one side do not overlap by more than 0.1 mm.", "Catalogue of standard bodies"),
    "ready.two-lines": Rule(
        "A value in one body stands on the bill of materials in one writing and under one part number.",
        "Values read with their units; tolerance, voltage and dielectric are compared as far as both say them",
    ),
    "ready.quantity": Rule(
        "The quantity of a line equals the number of parts it names.", "Comparison within the bill of materials"
    ),
    "ready.agree": Rule(
        "No disagreement among placement list, bill of materials, pads and outline.",
        "Comparison by reference designator",
    ),
    "ready.package": Rule(
        "Every body is in the catalogue; else its size is read from the text or guessed.",
        "Catalogue of standard bodies",
    ),
    "ready.note": Rule(
        "A design has one bill of materials; of several the first by name is used.", "What was found in the folder"
    ),
    "ready.netlist": Rule(
        "Every net of the netlist is one connected piece of copper and no two nets touch.",
        "IPC-D-356A netlist against copper and plated holes",
    ),
    "ready.sides": Rule(
        "Lighter first: the side whose worst part hangs more safely is printed first and passes the oven upside down"
        " the second time. Glued: the heavier side first, held. By hand: the side with more parts on paste.",
        "Drop check of both sides; the user's school",
    ),
    "ready.drop": Rule(
        "Mass over wetted pad area at most 46.5 mg/mm² (30 g per square inch); care above 70 % of it.",
        "Widely used rule of thumb for second-side reflow; masses from the catalogue are typical values",
    ),
    "ready.bare": Rule("As many bare panels as the batch wants, wiped clean.", "Incoming count"),
    "ready.finest": Rule(
        "The narrowest track or gap of the outer copper is no finer than the process has shown; care down to 0.8 of"
        " that, stop below.",
        "Copper layers; finest good result on record",
    ),
    "ready.etch": Rule(
        "12.5 min for 35 µm at 37.5 °C in a fresh bath; in proportion to thickness, halved by every 10 °C more, slower"
        " as the bath fills; times the geometric mean of this workshop's own runs.",
        "Usual ferric chloride figures; own logged runs",
    ),
    "ready.bath": Rule(
        "A litre of fresh 40 % ferric chloride takes about 60 g of copper before it is slow. Copper removed = (1 −"
        " coverage) × area × thickness × 8.96 g/cm³.",
        "Usual ferric chloride figures; density of copper",
    ),
}
