"""How quantities are spelt: letters that look alike, words for units, digits set apart."""

from __future__ import annotations

import re

PREFIX = {
    "p": 1e-12,
    "n": 1e-9,
    "u": 1e-6,
    "µ": 1e-6,
    "m": 1e-3,
    "": 1.0,
    "R": 1.0,
    "E": 1.0,
    "k": 1e3,
    "K": 1e3,
    "M": 1e6,
    "G": 1e9,
}
"""Factors of the letters; R and E stand for ohms where the point is."""


_LOOKALIKES = str.maketrans(
    {"\u2126": "Ω", "\u03bc": "µ", "\u2212": "-", "\u2019": "'", "\u00a0": " ", "\u2009": " ", "\u202f": " "}
)


_SPELT = [  # words for letters, after a number or alone before a unit
    (re.compile(r"(?<=[\d\s.])micro[ -]?(?=f(?:arads?)?\b|h(?:enrys?|enries)?\b)", re.I), "µ"),
    (re.compile(r"(?<=[\d\s])(?:[uµ]Fd|MFD)\b", re.I), "µF"),
    (re.compile(r"(?<=[\d\s.])mega?[ -]?(?=ohms?\b|Ω|hz\b|$|[\s,;)])", re.I), "M"),
    (re.compile(r"(?<=[\d\s.])kilo?[ -]?(?=ohms?\b|Ω|hz\b)", re.I), "k"),
    (re.compile(r"(?<=[\d\s.])milli[ -]?(?=ohms?\b|Ω|h(?:enrys?|enries)?\b)", re.I), "m"),
    (re.compile(r"(?<=[\d\s.])nano[ -]?(?=f(?:arads?)?\b|h(?:enrys?|enries)?\b)", re.I), "n"),
    (re.compile(r"(?<=[\d\s.])pico[ -]?(?=f(?:arads?)?\b)", re.I), "p"),
    (re.compile(r"(?<=[\dpnuµm\s])farads?\b", re.I), "F"),
    (re.compile(r"(?<=[\dpnuµm\s])(?:henrys?|henries)\b", re.I), "H"),
]


UNIT = r"(?P<unit>Ω|(?i:ohms?|f|hz|h))?"


SPACED = re.compile(r"(?<=\d)\s+(?=(?:[pnuµmkKMG]?(?:Ω|(?i:ohms?|f|hz|h))|[pnuµkKMG])(?![\w]))")


GROUPED = re.compile(
    r"(?<![\w.,])\d{1,3}(?: \d{3})+(?=(?:[.,]\d+)?\s*(?:[pnuµmkKMG]?(?:Ω|(?i:ohms?|f|hz|h))|[pnuµkKMGRE]?)\s*$)"
)


MOST_LETTERS = 250
"""Of a value, or a whole label."""


def spelt(text: str) -> str:
    """Letters that look alike made one, prefixes and units that are spelt out made letters. Of a text that is longer
    than any label only the beginning is read: the patterns try every place of it.
    """
    text = text[:MOST_LETTERS].translate(_LOOKALIKES)
    for pattern, letter in _SPELT:
        text = pattern.sub(letter, text)
    return text


def number_of(text: str) -> float:
    """Digits with a point, a decimal comma, or thousands set apart: ``1,000`` ``1.000.000`` ``12'000`` ``10,000.5``.

    >>> [number_of(t) for t in ("0,1", "4.7", "1,000", "0,100", "1.000.000", "10,000.5", "1.000,5", "12'000")]
    [0.1, 4.7, 1000.0, 0.1, 1000000.0, 10000.5, 1000.5, 12000.0]
    """
    if re.fullmatch(r"[1-9]\d{0,2}(?:,\d{3})+(?:\.\d+)?|\d{1,3}(?:['  ]\d{3})+|\d{1,3}(?:\.\d{3}){2,}", text):
        return float(re.sub(r"[,' ]" if text.count(".") < 2 else r"\.", "", text))
    if re.fullmatch(r"\d{1,3}(?:\.\d{3})+,\d+", text):
        return float(text.replace(".", "").replace(",", "."))
    return float(text.replace(",", "."))


def unit_of(text: str | None) -> str:
    if not text:
        return ""
    return {"f": "F", "h": "H"}.get(text.lower(), "Hz" if text.lower() == "hz" else "Ω")


def tidy(value: float) -> float:
    """Twelve digits: 0.1 µF and 100 nF are the same number."""
    return float(f"{value:.12g}")
