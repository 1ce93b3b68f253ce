"""Rejects of a placing machine by feeder, nozzle and part: a rate that is more than the others' is where to look."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from math import comb

from msgspec import Struct

from fusilex.core.evidence import Level
from fusilex.core.inspection.yields import wilson
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

CAUSES = {
    "not picked": (
        "tape empty",
        "cover tape caught or peeled late",
        "pick point off the pocket's centre",
        "nozzle too small or worn",
        "vacuum low: hose, filter, cracked tip",
        "part standing in the pocket",
    ),
    "empty": ("tape caught: look before reloading", "tape empty"),
    "lost": (
        "worn or chipped tip not sitting flat",
        "vacuum leak",
        "acceleration too high for the mass",
        "wrong nozzle",
    ),
    "rejected": ("nozzle wear", "dirt on the nozzle's face or its background ring", "lighting", "height wrong"),
}
"""What to check, in this order, by what is seen."""


LEAST, BY_CHANCE = 2, 0.01
"""One reject alone is chance: among many feeders some always have the first. In at most one of a hundred honest runs is
a good feeder named; it is looked at after each panel, not once.
"""


class Tally(Struct, frozen=True):
    """Tries and rejects of one feeder, nozzle or line; `seen` counts the rejects by how they showed."""

    tries: int
    rejects: int
    seen: tuple[tuple[str, int], ...] = ()


def chance_of(own: Tally, others: Tally) -> float:
    """The chance that of all rejects so many or more fall on one by itself, where it is as good as the others: the
    upper tail of the hypergeometric distribution (Fisher's exact test, one-sided).

    >>> round(chance_of(Tally(10, 2), Tally(10, 0)), 4)  # C(10, 2) / C(20, 2)
    0.2368
    """
    total, bad = own.tries + others.tries, own.rejects + others.rejects
    ways = sum(comb(own.tries, k) * comb(others.tries, bad - k) for k in range(own.rejects, min(bad, own.tries) + 1))
    return ways / comb(total, bad)


def judge_rejects(kind: str, tallies: Mapping[str, Tally]) -> list[Judgement]:
    """Care for every one with two rejects or more whose rate is surely above all others' together: so many rejects of
    all would fall on it by chance in fewer runs than `BY_CHANCE`, shared out among all that were tried (Bonferroni).
    """
    found, tried = [], sum(t.tries > 0 for t in tallies.values())
    for name, own in tallies.items():
        others = [t for other, t in tallies.items() if other != name]
        tries, rejects = sum(t.tries for t in others), sum(t.rejects for t in others)
        if own.rejects < LEAST or not tries:
            continue
        if chance_of(own, Tally(tries, rejects)) * tried >= BY_CHANCE:
            continue
        likely = wilson(own.rejects, own.tries)
        low, high = likely.low, likely.high
        numbers = (
            Quantity("rejects", f"{own.rejects} of {own.tries}"),
            Quantity("likely rate", f"{100 * low:.1f} to {100 * high:.1f} %"),
            Quantity("all others", f"{rejects} of {tries}"),
        )
        mostly = max(own.seen, key=lambda s: s[1])[0] if own.seen else "not picked"
        text, do = say("rejects more", kind=kind, name=name), say("check in order", causes=tuple(causes_of(mostly)))
        found.append(Judgement("place.rejects", Level.CARE, f"{kind} {name}", text, numbers, do))
    return found


def causes_of(seen: str) -> Sequence[str]:
    """What to check for a kind of fault."""
    return CAUSES[
        {"lost on the way": "lost", "on its side": "rejected"}.get(seen, seen if seen in CAUSES else "not picked")
    ]
