"""What a bag's label says beside the value: counts, dates and lots are set aside, so that no number of them is read as
a value; sizes, tolerance letters and types are found.
"""

from __future__ import annotations

import re

from fusilex.core.packages.catalogue import Package, package_of
from fusilex.core.packages.chips import CHIP_SIZES, chip_codes, may_be_date
from fusilex.core.spelling import MOST_LETTERS, spelt
from fusilex.core.values import TOLERANCE_LETTER, Meaning, read_value

_COUNT = r"\d{1,3}(?:[., ']\d{3})+|\d+"
_HOW_MANY = "pieces?|pcs?|units?"
_ASIDE = (
    re.compile(rf"(?<!\w)(?:{_HOW_MANY}|q'?ty|quantity|count|menge|anzahl)\b\.?\s*[:=#]?\s*(?:{_COUNT})(?!\w)", re.I),
    re.compile(rf"(?<![\w.,])(?:{_COUNT})\s*(?:{_HOW_MANY}|ea|each|off|stk|stück)\b\.?", re.I),
    re.compile(
        r"(?<!\w)(?:date(?:\s*code)?|d/?c|mfg|exp(?:iry)?|lot|batch|charge|reel|bag|bin)\b\.?\s*(?:no\.?|nr\.?)?\s*"
        r"[:=#]?\s*[\w-]*\d[\w-]*",
        re.I,
    ),
    re.compile(r"(?<!\d)(?:19|20)\d\d-[01]\d(?:-[0-3]\d)?(?!\d)"),
)  # fmt: skip
"""Words for how many, when and which lot, with their numbers."""
_BODY_MM = re.compile(r"(?<![\w.,])(\d{1,2}[.,]\d{1,2})\s*(?:mm)?\s*[x×*]\s*(\d{1,2}[.,]\d{1,2})\s*mm\b", re.I)
_METRIC_SIZE = re.compile(r"\b(metric|inch|imperial)\s+(?:size|code|case|body)\b\s*:?", re.I)
_OUTLINE = re.compile(
    r"(?<![A-Za-z0-9])((?:[HLMQSTVWPC]{0,2}(?:SO(?:IC|P|T|D)?|DIP|DIL|QF[NP]|DFN|LCC|BGA)|D2?-?PAK|TO|SC|MELF|SM[ABC])"
    r"(?:[- ]?\d{1,3}){0,2})(?![A-Za-z0-9])",
    re.I,
)
_LETTER = re.compile(r"(?<![\w.,±])([FGJKM])(?!\w)")
QUANTITIES = 50
"""Bare numbers that are whole multiples of it may be how many there are."""
CLOSE = 0.15
"""Share by which one body may be given otherwise in two tables."""


def without_counts(label: str) -> str:
    """A label without its counts, dates and lots.

    >>> without_counts("10k 0603 Qty: 1000").split(), without_counts("100 pcs 4k7").split()
    (['10k', '0603'], ['4k7'])
    """
    label = label[:MOST_LETTERS]
    for pattern in _ASIDE:
        label = pattern.sub(" ", label)
    return label


def read_label(label: str, family: str) -> Meaning:
    """The value on a label. Digits alone that may be a count or a date are none; a tolerance may be a letter alone."""
    left = _BODY_MM.sub(" ", _METRIC_SIZE.sub(r"\1 ", spelt(without_counts(label))))
    found = read_value(left, family)
    bare = re.sub(r"(?<![\w.,])\d+(?![\w.,]|\s*(?:[pnuµmkKMG]?(?:Ω|ohm|[FH]\b)|[kKMG]\b))", " ", left)
    if found.values and not read_value(bare, family).values:
        digits = [word for word in re.findall(r"(?<![\w.,])\d+(?![\w.,])", left) if not _is_size(word)]
        if any(_may_count(word) for word in digits):
            why = f"“{label.strip()[:40]}” has a number without a unit: it may be a count or a date"
            return Meaning(label, (), "", found.tolerance_percent, found.volts, found.dielectric, why)
    if found.tolerance_percent is None and found.values and (letter := _LETTER.search(left)):
        before = left[: letter.start()].rstrip()
        if letter[1] in "FGJ" or not before[-1:].isdigit():  # 10 K is ten thousand
            return Meaning(
                label,
                found.values,
                found.unit,
                TOLERANCE_LETTER[letter[1]],
                found.volts,
                found.dielectric,
                found.unread,
            )
    return found


def _may_count(word: str) -> bool:
    """True for digits that may say how many there are, or when they were made."""
    return len(word) <= 2 or int(word) % QUANTITIES == 0 or (len(word) == 4 and may_be_date(word))


def _is_size(word: str) -> bool:
    return bool(chip_codes(word))


def sizes_on(label: str) -> tuple[str, ...]:
    """Inch codes of all chip sizes that a label names, by code or by lengths; dates count last.

    >>> sizes_on("0402 (0.4 x 0.2 mm)"), sizes_on("metric size 0402"), sizes_on("10k 0603 2512")
    (('01005',), ('01005',), ('0603',))
    """
    text = _METRIC_SIZE.sub(r"\1 ", without_counts(label))
    if body := _BODY_MM.search(text):
        long, wide = sorted((float(v.replace(",", ".")) for v in body.groups()), reverse=True)
        near = [
            c
            for c, row in CHIP_SIZES.items()
            if abs(row[1] - long) <= CLOSE * long and abs(row[2] - wide) <= CLOSE * wide
        ]
        codes = set(chip_codes(text)) | set(chip_codes(text, metric=True))
        named = [c for c in near if c in codes] or near
        if named:
            return tuple(named)
    codes_on = chip_codes(text)
    if len(codes_on) > 1:
        codes_on = tuple(c for c in codes_on if not may_be_date(c)) or codes_on
    return codes_on


def outlines_on(label: str, ref: str) -> list[Package]:
    """Bodies with legs, or without, that a label names by their outline."""
    found = [package_of(word, ref) for word in _OUTLINE.findall(label)]
    return [package for package in found if package.known]


def same_body(a: Package, b: Package) -> bool:
    """True for two names of one body: mounted alike, of the same size but for what tables differ by."""
    sizes = zip(sorted((a.size_x, a.size_y)), sorted((b.size_x, b.size_y)), strict=True)
    return a.mount == b.mount and all(abs(x - y) <= CLOSE * max(x, y) for x, y in sizes)


def others_alike(wanted: str, label: str) -> list[str]:
    """Words of a label that are built like a type wanted, and are another: two types on one label."""
    plain = re.sub(r"[^A-Z0-9]", "", wanted.upper())
    shape = re.sub(r"\d", "9", plain)
    words = (re.sub(r"[^A-Z0-9]", "", word.upper()) for word in re.split(r"[\s,;|/]+", label))
    alike = [w for w in words if w != plain and len(shape) >= 4 and re.sub(r"\d", "9", w) == shape]
    return [w for w in alike if w[:2] == plain[:2] and re.search(r"\d", w)]
