"""What a label or a line says of a part: value with its unit, tolerance, voltage, body, in every way people write it."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from functools import lru_cache

from fusilex.core.board.bodies import chip_code
from fusilex.core.units import PREFIX

_UNIT_OF_FAMILY = {"resistor": "Ω", "capacitor": "F", "electrolytic": "F", "inductor": "H", "crystal": "Hz"}
_UNIT = r"(?P<unit>Ω|(?i:ohms?|f|hz|h))?"
_PLAIN = re.compile(rf"(?P<number>\d+(?:[.,]\d+)?|[.,]\d+)\s*(?P<prefix>[pnuµμmkKMG]?)\s*{_UNIT}")
_INFIX = re.compile(rf"(?P<whole>\d*)(?P<prefix>[pnuµμmkKMGR])(?P<part>\d+){_UNIT}")
_LETTER_LAST = re.compile(r"(?P<number>\d+(?:[.,]\d+)?)(?P<prefix>R)")
_CODE = re.compile(r"(?P<digits>\d{2})(?P<zeros>\d)")
_CODE_FINE = re.compile(r"(?P<digits>[1-9]\d{2})(?P<zeros>\d)")  # resistors of 1 % and finer
_E24_DIGITS = (10, 11, 12, 13, 15, 16, 18, 20, 22, 24, 27, 30, 33, 36, 39, 43, 47, 51, 56, 62, 68, 75, 82, 91)
_E24 = frozenset(str(digits).rstrip("0") for digits in _E24_DIGITS)
"""First digits of the values of IEC 60063, series E24."""
_MICROFARAD = re.compile(r"(?<=[\d\s])(?:[uµμ]Fd|MFD|micro ?farads?)\b", re.I)
_VOLTS = re.compile(r"(?<![\w.,])(\d+(?:[.,]\d+)?)\s*(k?)V(?:DC|AC|dc|ac)?(?![\w])")
_VOLT_INFIX = re.compile(r"(?<![\w.,])(\d+)V(\d+)(?![\w])")
_TOLERANCE = re.compile(r"(?:±|\+/?-)?\s*(\d+(?:[.,]\d+)?)\s*(%|ppm)")
_DIELECTRIC = re.compile(r"\b(C0G|COG|NP0|NPO|X[5678][RST]|Y5V|Z5U)\b", re.I)
_TOLERANCE_LETTER = {"B": 0.1, "C": 0.25, "D": 0.5, "F": 1.0, "G": 2.0, "J": 5.0, "K": 10.0, "M": 20.0}
SAME, MOST_OHM = 1e-6, 1e8


@dataclass(frozen=True)
class Meaning:
    """What a text says, as far as it says it: None or '' for what it leaves open. `value` in Ω, F, H or Hz by `unit`.

    `values` are all readings of an ambiguous number such as ``104``, the likeliest first.
    """

    text: str
    values: tuple[float, ...] = ()
    unit: str = ""
    tolerance_percent: float | None = None
    volts: float | None = None
    body: str = ""
    dielectric: str = ""

    @property
    def value(self) -> float | None:
        return self.values[0] if self.values else None

    def met_by(self, label: Meaning) -> bool:
        """Both give a value, and a label means what is wanted here: a resistor's in any of its readings, others in the likeliest.

        A resistor marked ``104`` is hardly ever 104 Ω; a capacitor's ``220`` may be 22 pF or 220 pF in earnest.
        """
        readings = label.values if label.unit == "Ω" else label.values[:1]
        return self.value is not None and any(math.isclose(self.value, b, rel_tol=SAME) for b in readings)


@lru_cache(maxsize=4096)
def read_value(text: str, family: str = "") -> Meaning:
    """Read a value or a whole label. `family` (resistor, capacitor …) settles what a number without a unit means.

    >>> [read_value(t, "capacitor").value for t in ("100n", "0.1uF", "104", "100 nF X7R 50V")]
    [1e-07, 1e-07, 1e-07, 1e-07]
    >>> [read_value(t, "resistor").value for t in ("4k7", "4.7 k", "4R7", "R10", "2M2 1%")]
    [4700.0, 4700.0, 4.7, 0.1, 2200000.0]
    """
    body = chip_code(text) or ""
    left = re.sub(
        r"(?<!\d)(?:01005|0201|0402|0603|0805|1206|1210|1005|1608|2012|3216|3225)(?!\d)(?:\s*\(\d{4}\)|\s*[mM]etric)?",
        " ",
        text,
    )
    volts = None
    if found := _VOLT_INFIX.search(left):
        volts, left = float(f"{found[1]}.{found[2]}"), left.replace(found[0], " ")
    elif found := _VOLTS.search(left):
        volts, left = _float(found[1]) * (1e3 if found[2] else 1.0), left.replace(found[0], " ")
    tolerance = None
    if found := _TOLERANCE.search(left):
        tolerance = _float(found[1]) * (1e-4 if found[2] == "ppm" else 1.0)
        left = left.replace(found[0], " ")
    dielectric = ""
    if found := _DIELECTRIC.search(left):
        dielectric = {"COG": "C0G", "NP0": "C0G", "NPO": "C0G"}.get(found[1].upper(), found[1].upper())
        left = left.replace(found[0], " ")
    want = _UNIT_OF_FAMILY.get(family, "")
    best: tuple[int, tuple[float, ...], str, float | None] | None = None
    left = _MICROFARAD.sub("uF", left)
    joined = re.sub(r"(?<=\d)\s+(?=(?:[pnuµμmkKMG]?(?:Ω|(?i:ohms?|f|hz|h))|[pnuµμkKMG])\b)", "", left)
    for word in re.split(r"[\s/;|_]+|,(?!\d)", joined):
        read = _word(word.strip("()[]:"), want)
        if read and (best is None or read[0] > best[0]):
            best = read
    values, unit = (best[1], best[2]) if best else ((), "")
    if best and best[3] is not None and tolerance is None:
        tolerance = best[3]
    return Meaning(text, values, unit, tolerance, volts, body, dielectric)


def _float(text: str) -> float:
    return float(text.replace(",", "."))


def _word(word: str, want: str) -> tuple[int, tuple[float, ...], str, float | None] | None:
    """(how sure, readings, unit, tolerance) of one word, or None when it is no value of the wanted unit."""
    tolerance = None
    if re.fullmatch(r"[\d.,]+[PNU]F", word):  # printers that know capitals only
        word = word[:-2] + word[-2:-1].lower() + "F"
    if (want == "F" and (code := re.fullmatch(r"(\d{3})([BCDGJKM])", word))) or (
        want == "Ω" and (code := re.fullmatch(r"(\d+[RkKM]\d*)([BCDFGJ])", word))
    ):
        word, tolerance = code[1], _TOLERANCE_LETTER[code[2]]
    read = _match(word, want)
    return (*read, tolerance) if read else None


def _match(word: str, want: str) -> tuple[int, tuple[float, ...], str] | None:
    if not word or not any(c.isdigit() for c in word):
        return None
    if found := _INFIX.fullmatch(word):
        unit = _unit(found["unit"]) or ("Ω" if found["prefix"] in "RkKMG" and want in ("", "Ω") else want)
        scale = 1e-6 if found["prefix"] == "R" and want == "H" else PREFIX[found["prefix"]]  # 4R7: 4.7 µH
        value = float(f"{found['whole'] or 0}.{found['part']}") * scale
        return (3, (_tidy(value),), unit) if not want or unit == want else None
    if found := _LETTER_LAST.fullmatch(word):
        return (3, (_float(found["number"]),), "Ω") if want in ("", "Ω") else None
    if not (found := _PLAIN.fullmatch(word)):
        return None
    unit, prefix = _unit(found["unit"]), found["prefix"]
    if unit == "Hz" and prefix == "m":  # printers that know small letters only
        prefix = "M"
    if want and unit and unit != want:
        return None
    value = _tidy(_float(found["number"]) * PREFIX[prefix])
    if unit or prefix:
        return 3 if unit else 2, (value,), unit or want
    code = _CODE.fullmatch(word) or (_CODE_FINE.fullmatch(word) if want == "Ω" else None)
    by_code = int(code["digits"]) * 10.0 ** int(code["zeros"]) if code else None
    if want == "F" and len(word) > 3:
        return None  # a year, a count
    if want == "F":  # a bare number on a capacitor is a code in pF
        return (
            (1, (_tidy(by_code * 1e-12), _tidy(value * 1e-12)), "F")
            if by_code is not None
            else (1, (_tidy(value * 1e-12),), "F")
        )
    if want == "Ω":  # 220 is 220 Ω; 104 is hardly ever, and what a part of 100 kΩ is marked with
        if by_code is None or by_code > MOST_OHM or word.rstrip("0") in _E24:
            return 1, (value,), "Ω"
        return 1, (value, by_code), "Ω"
    if want == "H" and by_code is not None:
        return 1, (_tidy(by_code * 1e-6),), "H"
    return None


def _unit(text: str | None) -> str:
    if not text:
        return ""
    return {"f": "F", "h": "H"}.get(text.lower(), "Hz" if text.lower() == "hz" else "Ω")


def _tidy(value: float) -> float:
    """Twelve digits: 0.1 µF and 100 nF are the same number."""
    return float(f"{value:.12g}")


def show_value(value: float, unit: str) -> str:
    """A value as labels write it: ``100 nF``, ``4.7 kΩ``, ``32.768 kHz``."""
    steps = ((1e9, "G"), (1e6, "M"), (1e3, "k"), (1.0, ""), (1e-3, "m"), (1e-6, "µ"), (1e-9, "n"), (1e-12, "p"))
    scale, prefix = next(((s, p) for s, p in steps if abs(value) >= s * (1 - 1e-9)), (1e-12, "p"))
    return f"{value / scale:.6g} {prefix}{unit}"


def one_off(a: str, b: str) -> bool:
    """True for texts that differ in one character, or in one that is there or not; spaces do not count."""
    a, b = a.replace(" ", ""), b.replace(" ", "")
    if a == b:
        return False
    if len(a) == len(b):
        return sum(x != y for x, y in zip(a, b, strict=True)) == 1
    short, long = sorted((a, b), key=len)
    return len(long) - len(short) == 1 and any(long[:i] + long[i + 1 :] == short for i in range(len(long)))
