"""What people type at Print."""

from __future__ import annotations

import re
from collections.abc import Mapping

from fusilex.bench.refusal import Refused
from fusilex.bench.typed_text import NUMBER, number, numbers
from fusilex.core.printing.dots import BORES


def foil(text: str) -> float:
    """``0.12``, ``0,12 mm``: the thickness of a foil."""
    return number(text, "thickness", "mm, such as 0.12", "mm")


def grams(text: str) -> float:
    """``41.27``, ``41,27 g``: a weight."""
    return number(text, "weight", "g, such as 41.27", "g")


def offset(text: str) -> tuple[float, float]:
    """``0.10 -0.04``: how far paste lies to the right and up of its pad (mm)."""
    found = numbers(text)
    if len(found) != 2:
        raise Refused(f"“{text.strip()}” is no offset: type how far right and up, such as 0.10 -0.04.")
    return found[0], found[1]


def air_of(text: str) -> tuple[float, float]:
    """``22 45``: temperature (°C) and humidity (%); without the second one −1."""
    found = numbers(text)
    if len(found) not in (1, 2):
        raise Refused(f"“{text.strip()}” is no air: type °C and %, such as 22 45.")
    return found[0], found[1] if len(found) == 2 else -1.0


def height(text: str) -> float:
    """``0.06``, ``-0.1 mm``: how much higher the frame is than the board."""
    return number(text, "height", "mm, such as 0.06 or -0.1", "mm")


def bore_of(text: str, needles: Mapping[str, float]) -> float:
    """``0.41``, ``22G``: the bore of a needle (mm); `needles` are those on record, by their names in small letters."""
    name = text.strip().lower()
    if name in needles:
        return needles[name]
    if name.upper() in BORES:
        return BORES[name.upper()]
    return number(text, "bore", "mm such as 0.41, or a gauge such as 22G", "mm")


def sizes(text: str) -> list[tuple[float, float]]:
    """``150x25 60x25``: sides of some boards (mm)."""
    found = [re.fullmatch(rf"({NUMBER})\s*[x×]\s*({NUMBER})", word) for word in text.replace(",", ".").split()]
    if not found or any(m is None for m in found):
        raise Refused(f"“{text.strip()}” are no sides: type them such as 150x25 60x25.")
    return [(float(m[1]), float(m[2])) for m in found if m is not None]
