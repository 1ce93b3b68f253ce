"""What people type at Print."""

from __future__ import annotations

from fusilex.bench.typed_text import number


def foil(text: str) -> float:
    """``0.12``, ``0,12 mm``: the thickness of a foil."""
    return number(text, "thickness", "mm, such as 0.12", "mm")
