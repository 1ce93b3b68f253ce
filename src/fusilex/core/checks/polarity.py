"""Parts of which nobody said whether they have a wrong way round."""

from __future__ import annotations

from collections.abc import Iterable

from fusilex.core.design.model import Part
from fusilex.core.evidence import Coverage, Level
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import listed, say

MOST_NAMED = 6


def judge_polarity(parts: Iterable[Part], subject: str = "polarity") -> list[Judgement]:
    """Can't tell where the package of a part says nothing of it; nothing where all of them do."""
    there = [p for p in parts if p.populated]
    unknown = [p for p in there if not p.package.told]
    if not unknown:
        return []
    refs, packages = tuple(p.ref for p in unknown), {p.package.code for p in unknown}
    seen = (Coverage("polarities", len(there) - len(unknown), len(there)),)
    numbers = (Quantity("parts", listed(list(refs), MOST_NAMED)),)
    text, do = say("not known", parts=len(unknown), packages=len(packages)), say("say it once")
    missing = ("whether these packages have a mark",)
    return [Judgement("ready.polarity", Level.UNKNOWN, subject, text, numbers, do, refs, missing, seen)]
