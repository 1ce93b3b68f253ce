"""Sides in the names of files."""

from __future__ import annotations

import re
from collections.abc import Iterable
from pathlib import PurePosixPath

_BOTTOM = (
    r"bottom|\bbot|back|\bb\b|solder ?side|lower|unten|\br(?:ü|ue|u)ck|secondary|\bs[mps]b|dessous"
    r"|inf[eé]rieure?|inferiore?|sotto"
)
_TOP = r"top|front|\bf\b|component ?side|upper|oben|primary|\bs[mps]t|dessus|sup[eé]rieure?|superiore?|sopra"


def side_of_layer(words: str, layers: Iterable[str]) -> str | None:
    """The side in the words of a name; of two that contradict the one beside a word for what a layer is (patterns), as
    in ``b-top_copper`` of a project called b; None where both stand beside it.
    """
    found = {s: [m.span() for m in re.finditer(p, words)] for s, p in (("top", _TOP), ("bottom", _BOTTOM))}
    sides = [side for side, spans in found.items() if spans]
    if len(sides) < 2:
        return next(iter(sides), None)
    near = [m.span() for pattern in layers for m in re.finditer(pattern, words)]
    # as near, a word says more than a letter
    ranks = {s: min(((_gap(a, b), a[1] - a[0] == 1) for a in found[s] for b in near), default=(0, True)) for s in sides}
    return None if ranks["top"] == ranks["bottom"] else min(sides, key=lambda s: ranks[s])


def _gap(a: tuple[int, int], b: tuple[int, int]) -> int:
    """Letters between two words in a name."""
    return max(0, b[0] - a[1], a[0] - b[1])


def words_of(path: PurePosixPath) -> str:
    return " " + re.sub(r"[\W_]+", " ", re.sub(r"([a-z])([A-Z])", r"\1 \2", path.stem).lower()) + " "


def side_in_name(name: str) -> str | None:
    """The side that a file's name speaks of in a word of its own, None where it names none or both."""
    words = words_of(PurePosixPath(name))
    top, bottom = (re.search(rf"\b(?:{side})\b", words) for side in (_TOP, _BOTTOM))
    return None if bool(top) == bool(bottom) else "top" if top else "bottom"
