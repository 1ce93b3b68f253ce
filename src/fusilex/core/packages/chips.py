"""Chip sizes and their codes: which of the two codes, inch or metric, four digits in a text stand in.

The same digits name different bodies in the two codes. A text that says which one it means (``0402 Metric``,
``M0402``, ``0603 inch``), gives both (``0402 (1005)``, in either order) or is built by IPC-7351 (always metric) is
taken at its word.
"""

from __future__ import annotations

import re
from functools import lru_cache

# inch code: (metric code, length, width, height mm, resistor mg, capacitor mg), typical makers' figures
CHIP_SIZES = {
    "01005": ("0402", 0.4, 0.2, 0.15, 0.04, 0.1),
    "0201": ("0603", 0.6, 0.3, 0.30, 0.15, 0.3),
    "0402": ("1005", 1.0, 0.5, 0.50, 0.6, 1.2),
    "0603": ("1608", 1.6, 0.8, 0.80, 2.0, 6.0),
    "0805": ("2012", 2.0, 1.25, 1.00, 4.5, 15.0),
    "1206": ("3216", 3.2, 1.6, 1.20, 9.0, 30.0),
    "1210": ("3225", 3.2, 2.5, 1.60, 16.0, 60.0),
    "1008": ("2520", 2.5, 2.0, 1.60, 20.0, 32.0),
    "1812": ("4532", 4.5, 3.2, 1.60, 36.0, 100.0),
    "2010": ("5025", 5.0, 2.5, 0.60, 26.0, 90.0),
    "2220": ("5750", 5.7, 5.0, 2.00, 60.0, 220.0),
    "2512": ("6332", 6.3, 3.2, 0.60, 40.0, 130.0),
}
EVERYDAY = ("01005", "0201", "0402", "0603", "0805", "1206", "1210")
"""Sizes that two bare pads may be taken for when nothing names the part."""
METRIC_TO_INCH = {row[0]: inch for inch, row in CHIP_SIZES.items()}
METRIC_ONLY = frozenset(METRIC_TO_INCH) - frozenset(CHIP_SIZES)
_BUILT_NAME = re.compile(r"(?:CAP|RES|IND|LED|DIO|FUS|BEAD)C(\d{4})(?:X\d+)?[LMNABC]?", re.I)
_CODES = "|".join(sorted({*CHIP_SIZES, *METRIC_TO_INCH}, key=lambda c: (-len(c), c)))
_CODE = re.compile(rf"(?<![\d.,])({_CODES})(?!\d|[.,]\d)")
_SAYS_METRIC = re.compile(
    rf"(?:(?<![A-Za-z])M|metric[\s_\-]*)(?:{_CODES})(?!\d)|(?<!\d)(?:{_CODES})[\s_\-(]*(?:M(?![A-Za-z0-9])"
    rf"|metric|mm\b)",
    re.I,
)
_SAYS_INCH = re.compile(
    rf"(?:inch|imperial)[\s_\-]*(?:{_CODES})(?!\d)|(?<!\d)(?:{_CODES})[\s_\-(]*(?:inch|imperial|in\b|\")", re.I
)


@lru_cache(maxsize=4096)
def chip_codes(text: str, metric: bool = False) -> tuple[str, ...]:
    """Inch size codes of all bodies that a text may name, in the order of the text; more than one where it
    contradicts itself.

    Four digits that stand in both codes are read as inch codes, as metric ones when `metric`, or as the text says.

    >>> chip_codes("0402"), chip_codes("0402 Metric"), chip_codes("0402", metric=True), chip_codes("0603 (0201)")
    (('0402',), ('01005',), ('01005',), ('0201',))
    """
    if named := _BUILT_NAME.fullmatch(text.strip()):
        return (METRIC_TO_INCH[named[1]],) if named[1] in METRIC_TO_INCH else ()
    codes = list(dict.fromkeys(_CODE.findall(text)))
    for code in codes:  # both codes of one package settle each other
        if METRIC_TO_INCH.get(code) in codes:
            inch = METRIC_TO_INCH[code]
            return (inch, *(c for c in (_inch(x, metric) for x in codes if x not in (code, inch)) if c != inch))
    if codes and _SAYS_METRIC.search(text):
        metric = True
    elif codes and _SAYS_INCH.search(text):
        metric = False
    return tuple(dict.fromkeys(_inch(code, metric) for code in codes))


def _inch(code: str, metric: bool) -> str:
    """The inch code of a body named in one of the codes; a code that is no metric one stays what it is."""
    return METRIC_TO_INCH[code] if code in METRIC_TO_INCH and (metric or code in METRIC_ONLY) else code


def chip_code(text: str, metric: bool = False) -> str | None:
    """The one inch size code that a text names, or None where it names none or several.

    >>> chip_code("R-0603-METRIC"), chip_code("1005"), chip_code("0603 or 0805")
    ('0201', '0402', None)
    """
    codes = chip_codes(text, metric)
    return codes[0] if len(codes) == 1 else None


def ambiguous_code(text: str) -> str | None:
    """The size code of a text that would mean another body in the other code and does not say which it means, or
    None.
    """
    if _BUILT_NAME.fullmatch(text.strip()) or _SAYS_METRIC.search(text) or _SAYS_INCH.search(text):
        return None
    codes = set(_CODE.findall(text))
    (code,) = codes if len(codes) == 1 else ("",)
    return code if code in METRIC_TO_INCH and code in CHIP_SIZES else None


def may_be_date(code: str) -> bool:
    """True for a size code that also reads as a date code of year and week, as labels carry them: ``2512``,
    ``1206``.
    """
    return code[:2].isdecimal() and 8 <= int(code[:2]) <= 39 and 1 <= int(code[2:]) <= 53


def without_codes(text: str) -> str:
    """A text without its size codes and the words that say which they are."""
    for pattern in (_SAYS_METRIC, _SAYS_INCH, _CODE):
        text = pattern.sub(" ", text)
    return re.sub(r"\(\s*\)", " ", text)
