"""What people type at Place."""

from __future__ import annotations

import re

from fusilex.bench.refusal import Refused
from fusilex.bench.stations.place.commands import TeachPoint
from fusilex.bench.typed_text import numbers


def point(panel: int, text: str) -> TeachPoint:
    """``P1 12.31 8.04``: a point's name, and x and y of the machine in mm."""
    words = text.replace(";", " ").split()
    found = [numbers(word) for word in words[1:3]]
    if len(words) != 3 or [len(f) for f in found] != [1, 1]:
        raise Refused(f"“{text.strip()}” is no point: type its name, x and y in mm, such as P1 12.31 8.04.")
    decimals = min(len("".join(re.findall(r"[.,](\d+)", word))) for word in words[1:])
    return TeachPoint(panel, words[0].upper(), found[0][0], found[1][0], 10.0**-decimals)
