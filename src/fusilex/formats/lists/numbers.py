"""Numbers and lengths in the cells of a table."""

from __future__ import annotations

import math
import re

from fusilex.core.problems import BadInput

_NUMBER = re.compile(
    r"^\s*([-+]?(?:\d+[.,]?\d*|[.,]\d+|\d{1,3}(?:[.,]\d{3})+[.,]\d+)(?:[eE][-+]?\d+)?)\s*(mm|mil|mils|thou|in"
    r"|inch|[uµμ]m|\"|°|deg)?\s*$",
    re.I,
)


MOST = 1e12
_TO_MM = {
    "mm": 1.0,
    "mil": 0.0254,
    "mils": 0.0254,
    "thou": 0.0254,
    "in": 25.4,
    "inch": 25.4,
    '"': 25.4,
} | dict.fromkeys(("um", "µm", "μm", "micron", "microns"), 0.001)


def number(text: str, name: str, line: int, column: str) -> tuple[float, str]:
    """A number and its unit ('' if none); decimal point or comma, thousands marks beside it. Raises `BadInput` with
    its place.
    """
    match = _NUMBER.match(text.replace("−", "-").replace(" ", " "))
    value = math.nan
    if match:
        digits = match[1]
        if "," in digits and "." in digits:
            digits = digits.replace(",", "") if digits.rfind(".") > digits.rfind(",") else digits.replace(".", "")
        digits = digits.replace(",", ".")
        value = float(digits) if digits.count(".") <= 1 else math.nan
    if match is None or not abs(value) <= MOST:
        raise BadInput(name, "a number", f"“{text[:40]}”", f"line {line}, column {column.strip() or '?'}")
    return value, (match[2] or "").lower()


_UNIT_IN_HEADER = re.compile(r"(?<![a-z])(mils?|thou|inch|in|mm|[uµμ]m|microns?)(?![a-z])", re.I)


def length_mm(text: str, name: str, line: int, column: str, unit: str = "") -> float:
    """A length in mm; a unit in the cell beats one in the column's name, that beats `unit`, and mm is taken when none
    says.
    """
    value, own = number(text, name, line, column)
    if not own:
        stated = _UNIT_IN_HEADER.search(column)
        own = stated[1].lower() if stated else unit or "mm"
    return value * _TO_MM.get(own, 1.0)
