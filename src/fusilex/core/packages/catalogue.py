"""Catalogue of standard bodies: what a package name means in millimetres, height and mass.

Chip sizes and masses are typical makers' figures (`chips`); the rest are nominal JEDEC/IEC outlines. Masses are typical
values and always shown as estimates; the part maker's sheet wins.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import lru_cache

from msgspec import Struct, field
from msgspec.structs import replace

from fusilex.core.packages.chips import CHIP_SIZES, chip_code
from fusilex.core.packages.land_pattern_names import NamedPackage, package_by_name
from fusilex.core.packages.outline_names import package_by_outline


class Package(Struct, frozen=True):
    """A part's body. Lengths in mm, mass in mg, x and y as it lies unturned (pin 1 upper left, rows upright).

    `known` is False when the name was not in the catalogue and the size is a guess. `mass_from` says where the mass
    comes from: ``typical`` (catalogue), ``volume`` (estimated from the body's volume and material) or ``workshop``
    (typed in here). `chip` is the inch code of a chip-size body, in whichever code its name was written, else ''. It is
    `polarised` where it has a wrong way round, and where that is not `told`.
    """

    code: str
    size_x: float
    size_y: float
    height: float
    mass_mg: float
    family: str
    mount: str = "smd"
    polarised: bool = False
    known: bool = True
    mass_from: str = "typical"
    chip: str = ""
    told: bool = True


_OUTLINES: list[tuple[str, float | None, float | None, float, float | None, str, str, bool]] = [
    # pattern, x, y, height, mass mg, family, mount, polarised
    (r"QFN-?(\d+).*?(\d+(?:\.\d+)?)\s*X\s*(\d+(?:\.\d+)?)", None, None, 0.85, None, "ic", "smd", True),
    (r"SOT-?23-?5", 1.6, 2.9, 1.2, 13, "ic", "smd", True),
    (r"SOT-?23-?6", 1.6, 2.9, 1.2, 15, "ic", "smd", True),
    (r"SOT-?23(?!-?\d)", 1.3, 2.9, 1.0, 9, "transistor", "smd", True),
    (r"SOIC?-?8", 3.9, 4.9, 1.6, 76, "ic", "smd", True),
    (r"SOD-?123", 2.7, 1.6, 1.1, 11, "diode", "smd", True),
    (r"SOD-?323", 1.7, 1.25, 0.9, 5, "diode", "smd", True),
    (r"CRYSTAL.*3215|XTAL.*3215", 3.2, 1.5, 0.9, 14, "crystal", "smd", False),
    (r"CAN[- ]?6\.3|ELECTROLYTIC.*6\.3", 6.6, 6.6, 7.7, 310, "electrolytic", "smd", True),
    (r"INDUCTOR.*4X4|IND.*4X4", 4.0, 4.0, 1.8, 110, "inductor", "smd", False),
    (r"CHOKE.*7X7|INDUCTOR.*7X7", 7.3, 7.3, 4.5, 950, "inductor", "smd", False),
    (r"USB.*RECEPTACLE", 5.6, 7.5, 2.6, 640, "connector", "smd", True),
    (r"(?:SENSOR|WIRE).*1\.0", 4.3, 6.0, 2.9, 160, "connector", "smd", True),
    (r"COIN.*HOLDER.*12", 16.0, 12.8, 4.2, 900, "holder", "smd", True),
    (r"SCREW TERMINAL.*5\.08", 10.2, 8.2, 10.0, 3100, "terminal", "tht", False),
    (r"REED.*14", 14.0, 2.2, 2.3, 180, "reed", "tht", False),
    (r"FIDUCIAL|FID\b", 1.0, 1.0, 0.0, 0, "fiducial", "none", False),
    (r"TEST ?(?:PAD|POINT)", 1.0, 1.0, 0.0, 0, "test", "none", False),
    (r"MOUNT", 2.2, 2.2, 0.0, 0, "hole", "none", False),
]
_FAMILY_BY_LETTER = {"R": "resistor", "C": "capacitor", "L": "inductor", "D": "diode", "FB": "inductor", "LED": "led"}
TWO_ENDED = ("resistor", "capacitor", "inductor", "diode", "led", "chip")
"""Families of bodies with two ends, which come as chips."""
_UNMARKED = ("R", "L", "FB", "F", "FID", "TP", "MH", "H")
_MARKED = ("D", "LED", "U", "IC", "Q", "BR", "ZD", "CR")
"""Letters of parts without a wrong way round, and with one, whatever their body."""
_WITH_A_PLUS = re.compile(r"TANT|ELKO|ELEC|POLYMER|CAPMP|\bCP\b")
_PLUGS = ("J", "P", "X", "CN", "CON", "ANT")  # where SMA is a socket
DENSITY_MG_PER_MM3 = {"inductor": 4.5, "electrolytic": 2.0, "crystal": 3.0, "reed": 3.0}
OTHER_DENSITY = 2.5
"""Plastic and ceramic bodies 2–3 g/cm³, wound and metal ones 4–5: for estimates only."""
MOST_MM, MOST_LETTERS = 80.0, 60
"""Two larger numbers with a cross between them are no lengths of a body in mm."""
_LETTERS = re.compile("[A-Za-z]*")
_TWO_LENGTHS = re.compile(r"(\d+(?:\.\d+)?)\s*(?:mm)?\s*[xX×]\s*(\d+(?:\.\d+)?)")


def letters_of(ref: str) -> str:
    """The letters that a reference designator begins with: what sort of part it is."""
    found = _LETTERS.match(ref)
    return found[0].upper() if found else ""


def package_of(name: str, ref: str = "", metric: bool = False) -> Package:
    """Package for a package text such as ``0402 (1005)``, ``QFN-32 5x5`` or ``SOT-23``; `metric` reads bare size
    codes as metric.

    Names built by IPC-7351 and everyday outline names are known. The designator's letters settle the family of chip
    parts. An unknown name gives ``known=False`` and a size read from lengths in the text where there are any, else 2
    × 2 × 1 mm; of a polarity it tells nothing.
    """
    letters = letters_of(ref)
    package = _body_of(name.strip()[:MOST_LETTERS], letters, metric)
    if (letters == "C" or package.family == "capacitor") and has_a_plus(name):
        package = replace(package, polarised=True)
    if not package.polarised and letters not in _UNMARKED and (not package.known or package.family == "chip"):
        package = replace(package, polarised=True, told=letters in _MARKED)
    return replace(package, chip=chip) if (chip := _chip_of(package, metric)) else package


def has_a_plus(words: str) -> bool:
    """True for words that make a capacitor one with a plus.

    >>> has_a_plus("10u tantalum"), has_a_plus("100n X7R")
    (True, False)
    """
    return bool(_WITH_A_PLUS.search(words.upper().replace("_", " ")))


def _chip_of(package: Package, metric: bool) -> str:
    """The inch code that a body's name gives, where the body is of that length."""
    code = chip_code(package.code, metric) if package.family in TWO_ENDED and package.mount == "smd" else None
    return (
        code
        if code and abs(max(package.size_x, package.size_y) - CHIP_SIZES[code][1]) < 0.15 * CHIP_SIZES[code][1]
        else ""
    )


@lru_cache(maxsize=1024)
def _body_of(text: str, letters: str, metric: bool) -> Package:
    upper = text.upper().replace("_", " ")
    if named := package_by_name(text.upper()):
        return _from_name(text, named, letters)
    for pattern, length, width, height, mass, family, mount, polarised in _OUTLINES:
        if found := re.search(pattern, upper):
            if length is None:
                long, wide = sorted((float(found[2]), float(found[3])), reverse=True)
                return Package(text, long, wide, height, 2.3 * long * wide * height, family, mount, polarised)
            return Package(text, length, width or length, height, float(mass or 0), family, mount, polarised)
    if letters in ("FID", "TP", "MH", "H"):
        kind = {"FID": "fiducial", "TP": "test"}.get(letters, "hole")
        return Package(text, 1.0, 1.0, 0.0, 0.0, kind, "none")
    if (named := package_by_outline(upper)) and not (named.family == "diode" and letters in _PLUGS):
        return _from_name(text, named, letters)
    if code := chip_code(text, metric):
        _, length, width, height, resistor_mg, capacitor_mg = CHIP_SIZES[code]
        if "LED" in upper or letters == "LED":  # lower than a ceramic chip, heavier than a resistor's
            return Package(text, length, width, 0.75 * height, 1.5 * resistor_mg, "led", "smd", True)
        family = _FAMILY_BY_LETTER.get(letters, "chip")
        mass = capacitor_mg if family == "capacitor" else resistor_mg
        return Package(text, length, width, height, mass, family, "smd", family == "diode")
    family = _FAMILY_BY_LETTER.get(letters, "other")
    if (found := _TWO_LENGTHS.search(upper)) and (long := max(float(found[1]), float(found[2]))) <= MOST_MM:
        wide = min(float(found[1]), float(found[2]))
        mass = density_of(family) * long * wide
        return Package(text, long, wide, 1.0, mass, family, "smd", known=False, mass_from="volume")
    return Package(text, 2.0, 2.0, 1.0, 10.0, "other", "smd", known=False)


def density_of(family: str) -> float:
    """Density (mg/mm³) to estimate a mass from a body's volume."""
    return DENSITY_MG_PER_MM3.get(family, OTHER_DENSITY)


def _from_name(text: str, named: NamedPackage, letters: str) -> Package:
    """A body whose name gives its size; the mass follows from its volume."""
    family = _FAMILY_BY_LETTER.get(letters, "chip") if named.family == "chip" else named.family
    x, y, z = named.size_x, named.size_y, named.height
    mass = density_of(family) * x * y * z
    polarised = family == "diode" if named.family == "chip" else named.polarised
    return Package(text, x, y, z, mass, family, named.mount, polarised, mass_from="volume")


class Catalogue(Struct, frozen=True):
    """How package texts are read in one design: bare size codes as `metric`, and bodies the workshop knows better
    (`own`).
    """

    metric: bool = False
    own: Mapping[str, Package] = field(default_factory=dict)

    def package(self, name: str, ref: str = "") -> Package:
        """Package of a package text; the workshop's own entry wins."""
        mine = self.own.get(name.strip()) if name.strip() else None
        return (
            replace(mine, chip=_chip_of(mine, self.metric)) if mine is not None else package_of(name, ref, self.metric)
        )


STANDARD = Catalogue()
