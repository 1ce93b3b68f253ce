"""The rules of Place, as F1 shows them."""

from __future__ import annotations

from fusilex.core.judgement import Rule

RULES = {
    "place.error": Rule(
        "What 95 % of fits stay under at the worst placement of the panel, from the residuals at the taught points and"
        " how many there are: care above 0.05 mm, stop above 0.10 mm. Three points whose standard error would be judged"
        " otherwise cannot tell.",
        "Least squares, covariance of a similarity; F distribution for the degrees of freedom",
    ),
    "place.scale": Rule(
        "The fitted scale differs from 1 by no more than 0.3 %.", "A board does not stretch; a wrong point does"
    ),
    "place.shear": Rule(
        "Five points or more fit better with shear and two scales than by chance in one of a hundred clean fits, and"
        " the shear is above 0.2°.",
        "Least squares affine, F test; a board is not sheared, a wrong point does that",
    ),
    "place.suspect": Rule(
        "Leaving out one of at least four points shrinks the residual by more than chance does in one of a hundred"
        " clean fits, and it is above 0.02 mm.",
        "Leave-one-out F test, Bonferroni over the points",
    ),
    "place.proof": Rule(
        "A new programme is run dry on tape before there is paste, and its first board is looked at part by part before"
        " the rest are built; both are signed, or overruled with a reason.",
        "A machine repeats a mistake on every board",
    ),
    "place.rejects": Rule(
        "Of two rejects or more, the lower end of the 95 % interval of its rate is above that of all others together.",
        "Wilson interval; what to check first is what most often is the cause in small workshops",
    ),
    "place.marks": Rule(
        "Every part that has a wrong way round is looked at once more before the oven; parts that lie onto themselves"
        " when turned are never asked.",
        "A turned part found before the oven costs seconds, after it an hour",
    ),
    "place.nudge": Rule(
        "Two-ended bodies up to 0603 come straight while half of each end is over its pad; chips of up to twenty leads"
        " while a lead hangs over by up to a quarter of its width; pegged, heavy or finer parts do not.",
        "Surface tension against weight; common workmanship practice, the adopted standard wins",
    ),
    "place.open": Rule(
        "Parts already on the board against those still to come.", "Placing order: by kind, smallest first"
    ),
    "place.points": Rule("A shift, turn and scale need two points; a third tells how good they are.", "Least squares"),
}
