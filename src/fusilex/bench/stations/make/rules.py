"""The rules of Make, as F1 shows them."""

from __future__ import annotations

from fusilex.core.judgement import Rule

RULES = {
    "make.resist": Rule(
        "Every break and pinhole of the resist is touched up before the board goes into the bath.",
        "A look at the board",
    ),
    "make.drill": Rule(
        "The drill's run-out stays below the narrowest ring, (pad − hole) / 2; care from 70 % of it on.",
        "Pads and holes of the files",
    ),
    "make.finest": Rule(
        "The narrowest track or gap that came out whole against the narrowest of the files.", "A look at the board"
    ),
}
