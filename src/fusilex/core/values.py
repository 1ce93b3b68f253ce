"""One reader for every quantity that lists, labels and meters give: value with its unit, tolerance, voltage,
dielectric.

`FORMS` is the table of what is accepted as a value. A text that fits no form, or several that differ, has no value,
and `Meaning.unread` says why: nothing is guessed silently.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from functools import lru_cache

from msgspec import Struct

from fusilex.core.packages.chips import without_codes
from fusilex.core.spelling import GROUPED, PREFIX, SPACED, UNIT, number_of, spelt, tidy, unit_of
from fusilex.core.units import show_value

UNIT_OF_FAMILY = {"resistor": "Ω", "capacitor": "F", "electrolytic": "F", "inductor": "H", "crystal": "Hz"}
SAME, MOST_OHM = 1e-6, 1e8

TOLERANCE_LETTER = {"B": 0.1, "C": 0.25, "D": 0.5, "F": 1.0, "G": 2.0, "J": 5.0, "K": 10.0, "M": 20.0}
_VOLTS = re.compile(r"(?<![\w.,])(\d+(?:[.,]\d+)?)\s*(k?)V(?:DC|AC|dc|ac)?(?![\w])")
_VOLT_INFIX = re.compile(r"(?<![\w.,])(\d+)V(\d+)(?![\w])")
_PERCENT = re.compile(r"(?:±|\+/?-)?\s*(\d+(?:[.,]\d+)?)\s*%")
_PPM = re.compile(r"(?:±|\+/?-)?\s*(\d+(?:[.,]\d+)?)\s*ppm(?:/\s*°?[CK]\b)?", re.I)
_DIELECTRIC = re.compile(r"\b(C0G|COG|NP0|NPO|X[5678][RST]|Y5V|Z5U)\b", re.I)
E24 = frozenset(
    str(digits).rstrip("0")
    for digits in (10, 11, 12, 13, 15, 16, 18, 20, 22, 24, 27, 30, 33, 36, 39, 43, 47, 51, 56, 62, 68, 75, 82, 91)
)
"""First digits of the values of IEC 60063, series E24."""


_NOTHING = re.compile(
    r"[\W_]*(?:unknown|unspecified|not specified|n\W?a|none|nil|null|nan|tbd|tba|val(?:ue)?|no value|empty|x+)?[\W_]*",
    re.I,
)
"""What lists write where they say nothing."""


def says_something(text: str) -> bool:
    """False for an empty value, or one that only says that there is none: ``(unknown)``, ``-``, ``?``, ``n/a``.

    >>> [says_something(t) for t in ("100n", "x7", "(unknown)", " - ", "N/A", "~", "")]
    [True, True, False, False, False, False, False]
    """
    return _NOTHING.fullmatch(text) is None


class Meaning(Struct, frozen=True):
    """What a text says, as far as it says it: None or '' for what it leaves open. `value` in Ω, F, H or Hz by `unit`.

    `values` are all readings of an ambiguous number such as ``104``, the likeliest first. `unread` says why there is
    none.
    """

    text: str
    values: tuple[float, ...] = ()
    unit: str = ""
    tolerance_percent: float | None = None
    volts: float | None = None
    dielectric: str = ""
    unread: str = ""

    @property
    def value(self) -> float | None:
        return self.values[0] if self.values else None

    def met_by(self, label: Meaning) -> bool:
        """Both give a value, and a label means what is wanted here: a resistor's in any of its readings, others in
        the likeliest.

        A resistor marked ``104`` is hardly ever 104 Ω; a capacitor's ``220`` may be 22 pF or 220 pF in earnest.
        """
        every = self.unit == "Ω" and label.unit == "Ω"
        wanted, found = (self.values, label.values) if every else (self.values[:1], label.values[:1])
        return any(math.isclose(a, b, rel_tol=SAME) for a in wanted for b in found)


Word = tuple[int, tuple[float, ...], str]
"""How sure, all readings, unit."""


class Form(Struct, frozen=True):
    """One way to write a value: `pattern` matches a whole word, `read` tells what it means for the wanted unit, if
    anything.
    """

    name: str
    example: str
    pattern: re.Pattern[str]
    read: Callable[[re.Match[str], str], Word | None]


def _infix(found: re.Match[str], want: str) -> Word | None:
    """A letter at the place of the point; R and E are ohms, but µH on coils; E is a power of ten where the unit is
    another.
    """
    letter = found["prefix"]
    if letter == "E" and want not in ("", "Ω"):
        return None
    unit = unit_of(found["unit"]) or ("Ω" if letter in "RkKMGE" and want in ("", "Ω") else want)
    scale = 1e-6 if letter == "R" and want == "H" else PREFIX[letter]
    return _if_wanted(3, (float(f"{found['whole'] or 0}.{found['part']}") * scale,), unit, want)


def _letter_last(found: re.Match[str], want: str) -> Word | None:
    return _if_wanted(3, (number_of(found["number"]),), "Ω", want)


def _plain(found: re.Match[str], want: str) -> Word | None:
    unit, prefix = unit_of(found["unit"]), found["prefix"]
    if unit == "Hz" and prefix == "m":  # printers that know small letters only
        prefix = "M"
    value = number_of(found["number"]) * PREFIX[prefix]
    return _if_wanted(3 if unit else 2, (value,), unit or want, want) if unit or prefix else None


def _power(found: re.Match[str], want: str) -> Word | None:
    return _if_wanted(
        2,
        (float(found["number"].replace(",", ".")) * 10.0 ** int(found["power"]),),
        unit_of(found["unit"]) or want,
        want,
    )


def _bare(found: re.Match[str], want: str) -> Word | None:
    """Digits alone: a capacitor's are a code in pF, a resistor's are ohms unless no series of values has them, a
    coil's a code in µH.
    """
    word = found[0]
    value = number_of(word)
    code = re.fullmatch(r"(\d{2})(\d)", word) or (re.fullmatch(r"([1-9]\d{2})(\d)", word) if want == "Ω" else None)
    by_code = int(code[1]) * 10.0 ** int(code[2]) if code else None
    if want == "F" and len(word) <= 3 and word.isdecimal():
        return 1, tuple(tidy(v * 1e-12) for v in ((by_code, value) if by_code is not None else (value,))), "F"
    if want == "Ω":
        if by_code is None or by_code > MOST_OHM or word.rstrip("0") in E24:
            return 1, (value,), "Ω"
        return 1, (by_code, value), "Ω"
    if want == "H" and by_code is not None:
        return 1, (tidy(by_code * 1e-6),), "H"
    return None


_NUMBER = (
    r"(?P<number>\d{1,3}(?:[,.' ]\d{3}){2,}|\d{1,3}(?:'\d{3})+|[1-9]\d{0,2}(?:,\d{3})+(?:\.\d+)?"
    r"|[1-9]\d{0,2}(?:\.\d{3})+,\d+|\d+(?:[.,]\d+)?|[.,]\d+)"
)
_INFIX = rf"(?P<whole>\d*)(?P<prefix>[pnuµmkKMGRE])(?P<part>\d+){UNIT}"
_PLAIN = rf"{_NUMBER}(?P<prefix>[pnuµmkKMG]?){UNIT}"
_POWER = rf"(?P<number>\d+[.,]\d+|\d+(?=[eE][+-]))[eE](?P<power>[+-]?\d{{1,2}}){UNIT}"
FORMS = (
    Form("letter for the point", "4k7, 4R7, R10, 4E7, 6µ8H", re.compile(_INFIX), _infix),
    Form("letter for ohms", "100R, 100E", re.compile(r"(?P<number>\d+(?:[.,]\d+)?)[RE](?:ohms?)?"), _letter_last),
    Form("number, prefix, unit", "100n, 4.7 kΩ, 1 MEG, 0,1 µF, 1,000 pF", re.compile(_PLAIN), _plain),
    Form("power of ten", "1.5e3, 1e-7F", re.compile(_POWER), _power),
    Form("digits alone", "104, 220, 1002", re.compile(_NUMBER), _bare),
)
"""What is read as a value, the first that fits. One table for lists, labels and meters; `docs/formats.md` shows it."""


@lru_cache(maxsize=4096)
def read_value(text: str, family: str = "") -> Meaning:
    """Read a value or a whole label. `family` (resistor, capacitor …) settles what a number without a unit means.

    >>> [read_value(t, "capacitor").value for t in ("100n", "0.1uF", "104", "100 nF X7R 50V")]
    [1e-07, 1e-07, 1e-07, 1e-07]
    >>> [read_value(t, "resistor").value for t in ("4k7", "1 MEG", "100E", "R10", "2M2 1%", "10,000", "104")]
    [4700.0, 1000000.0, 100.0, 0.1, 2200000.0, 10000.0, 100000.0]
    >>> read_value("1O0k", "resistor").unread
    'no value is to be read in “1O0k”'
    """
    left = without_codes(spelt(text))
    infix = (_VOLT_INFIX, lambda m: float(f"{m[1]}.{m[2]}"))
    volts, left = _take(left, infix, (_VOLTS, lambda m: number_of(m[1]) * (1e3 if m[2] else 1.0)))
    percent, left = _take(left, (_PERCENT, lambda m: number_of(m[1])))
    ppm, left = _take(left, (_PPM, lambda m: number_of(m[1]) * 1e-4))  # of a resistor: its drift with temperature
    tolerance = ppm if percent is None and family == "crystal" else percent
    dielectric = ""
    if kind := _DIELECTRIC.search(left):
        dielectric = {"COG": "C0G", "NP0": "C0G", "NPO": "C0G"}.get(kind[1].upper(), kind[1].upper())
        left = left.replace(kind[0], " ")
    want = UNIT_OF_FAMILY.get(family, "")
    left = GROUPED.sub(lambda m: m[0].replace(" ", ""), left)
    words = re.split(r"[\s/;|_]+|,(?!\d)", SPACED.sub("", left))
    read = [found for word in words if (found := _word(word.strip("()[]:"), want))]
    surest = max((sure for (sure, *_), _ in read), default=0)
    likely = [found for found in read if found[0][0] == surest]
    unread = ""
    if not likely:
        unread = f"no value is to be read in “{text.strip()[:40]}”"
    elif not all(_alike(likely[0][0][1], other[1]) for other, _ in likely):
        shown = [show_value(found[1][0], found[2] or want) for found, _ in likely[:2]]
        unread, likely = f"“{text.strip()[:40]}” says {shown[0]} and {shown[1]}", []
    (_, values, unit), by_letter = likely[0] if likely else ((0, (), ""), None)
    return Meaning(text, values, unit, by_letter if tolerance is None else tolerance, volts, dielectric, unread)


def read_ohms(text: str) -> float | None:
    """Resistance (Ω) that a resistor's text gives, whatever else it says; None where it gives none.

    >>> read_ohms("10k 1%"), read_ohms("100R 0402"), read_ohms("fit by test")
    (10000.0, 100.0, None)
    """
    return read_value(text, "resistor").value


_OPEN_WORDS = ("ol", "o.l", "o.l.", "open", "inf", "∞")


def parse_reading(text: str) -> float:
    """Resistance in Ω of a meter reading such as ``2.2M``, ``4k7``, ``0.4`` or ``OL`` (infinite).

    Raises ValueError when it is none of these, or may mean two things: a point with nothing behind it is how some
    meters show an open circuit, a comma before three digits is a thousand to some and a point to others.

    >>> parse_reading("2.2M"), parse_reading("4k7"), parse_reading("OL"), parse_reading("1 MEG")
    (2200000.0, 4700.0, inf, 1000000.0)
    """
    word = SPACED.sub("", spelt(text).strip())
    if word.lower() in _OPEN_WORDS:
        return math.inf
    if re.fullmatch(r"1[.,]", word):
        raise ValueError(f"“{word}” may be one ohm or how the meter shows an open circuit: type 1 or OL")
    if both := re.fullmatch(r"([1-9]\d{0,2}),(\d{3})(?![\d.,]).*", word):
        raise ValueError(f"“{word}” may be {both[1]}{both[2]} or {both[1]}.{both[2]}: type it without the comma")
    word = re.sub(r"(?<=\d)[.,](?=[^\d.,]|$)", "", word)  # 10. is 10
    found = _match(GROUPED.sub(lambda m: m[0].replace(" ", ""), word), "Ω", meter=True)
    if found is None:
        raise ValueError(f"“{text}” is no resistance: type for example 2.2M, 4k7, 0.4 or OL")
    return found[1][0]


def _take(text: str, *ways: tuple[re.Pattern[str], Callable[[re.Match[str]], float]]) -> tuple[float | None, str]:
    """The first thing that one of the patterns finds, and the text without it."""
    for pattern, value in ways:
        if found := pattern.search(text):
            return value(found), text.replace(found[0], " ")
    return None, text


def _word(word: str, want: str) -> tuple[Word, float | None] | None:
    """What one word says, and the tolerance (%) its last letter gives; None when it is no value of the wanted unit."""
    tolerance = None
    if re.fullmatch(r"[\d.,]+[PNU]F", word):  # printers that know capitals only
        word = word[:-2] + word[-2:-1].lower() + "F"
    if (want == "F" and (code := re.fullmatch(r"(\d{3})([BCDGJKM])", word))) or (
        want == "Ω" and (code := re.fullmatch(r"(\d+[RkKM]\d*)([BCDFGJ])", word))
    ):
        word, tolerance = code[1], TOLERANCE_LETTER[code[2]]
    read = _match(word, want)
    return (read, tolerance) if read else None


def _match(word: str, want: str, meter: bool = False) -> Word | None:
    """The reading by the first form that fits; a meter's digits alone are never a code."""
    for form in FORMS if any(c.isdecimal() for c in word) else ():
        if found := form.pattern.fullmatch(word):
            if meter and form is FORMS[-1]:
                return 1, (number_of(word),), want
            if read := form.read(found, want):
                return read[0], tuple(tidy(v) for v in read[1]), read[2]
    return None


def _if_wanted(sure: int, values: tuple[float, ...], unit: str, want: str) -> Word | None:
    return (sure, values, unit) if not want or unit == want else None


def _alike(a: tuple[float, ...], b: tuple[float, ...]) -> bool:
    return any(math.isclose(x, y, rel_tol=SAME) for x in a for y in b)
