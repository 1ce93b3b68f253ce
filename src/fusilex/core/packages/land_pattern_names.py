"""Bodies from land pattern names built by the rules of IPC-7351: family, pitch, lengths in hundredths of a
millimetre, pins.
"""

from __future__ import annotations

import re

from msgspec import Struct


class NamedPackage(Struct, frozen=True):
    """What a name says of a body: x and y as it lies unturned, height (mm); kind, mount and whether it has a
    polarity.
    """

    size_x: float
    size_y: float
    height: float
    family: str
    mount: str = "smd"
    polarised: bool = True


_CHIP = re.compile(
    r"(CAPC|RESC|INDC|LEDC|DIOC|FUSC|BEADC|CAPM|CAPMP|RESM|INDM|DIOM|LEDM|SODFL"
    r"|SOD)(\d{2,3})(\d{2})(?:X(\d{2,3}))?[LMNABC]?"
)
_MELF = re.compile(r"(DIO|RES|CAP)MELF(\d{2})(\d{2})[LMNABC]?")
_CAN = re.compile(r"CAPAE(\d{3,4})X(\d{3,4})[LMNABC]?")
_LEADS = re.compile(r"(SOIC|SOP|SSOP|TSSOP|TSOP|SOT|SOJ)(\d{2,3})P(\d{3,4})X(\d{2,3})-(\d{1,3})[LMNABC]?")
_QUAD = re.compile(
    r"(QFP|TQFP|LQFP|QFN|PQFN|SON|PSON|DFN|LCC)(\d{2,3})P(\d{3,4})X(\d{3,4})X(\d{2,3})-(\d{1,3})[LMNABC]?"
)
_BALLS = re.compile(r"(?:BGA|CGA|LGA)\d+[CN]\d+P\d+X\d+_(\d{3,4})X(\d{3,4})X(\d{2,3})[LMNABC]?")
_FAMILY = {
    "CAP": "capacitor",
    "RES": "resistor",
    "IND": "inductor",
    "LED": "led",
    "DIO": "diode",
    "SOD": "diode",
    "BEA": "inductor",
}
LEAD_MM, LEAD_SMALL_MM = 2.1, 1.1
"""What the leads of both sides add to a body's width, on wide and on small outlines."""


def package_by_name(name: str) -> NamedPackage | None:
    """The body a whole name such as ``RESC1608X50N``, ``SOIC127P600X175-8N`` or ``QFN50P500X500X80-33N`` describes,
    or None.

    Chips give body length and width in tenths; leaded outlines give the span over the leads, from which body width
    and length follow by pitch and pins.
    """
    if found := _CHIP.fullmatch(name):
        kind, long, wide, high = found.groups()
        family = _FAMILY.get(kind[:3], "other")
        polarised = family in ("diode", "led") or kind == "CAPMP"
        size = int(long) / 10, int(wide) / 10
        return NamedPackage(*size, int(high) / 100 if high else min(size), family, polarised=polarised)
    if found := _MELF.fullmatch(name):
        family = _FAMILY[found[1]]
        return NamedPackage(
            int(found[2]) / 10, int(found[3]) / 10, int(found[3]) / 10, family, polarised=family == "diode"
        )
    if found := _CAN.fullmatch(name):
        base, high = _hundredths(found[1], found[2])
        return NamedPackage(base, base, high, "electrolytic")
    if found := _LEADS.fullmatch(name):
        pitch, span, high = _hundredths(found[2], found[3], found[4])
        pins = int(found[5])
        rows = -(-pins // 2)
        step = 2 * pitch if found[1] == "SOT" and pins in (3, 4) else pitch
        wide = span - (LEAD_MM if span >= 4.5 else LEAD_SMALL_MM)
        return NamedPackage(wide, (rows - 1) * step + 0.85 * pitch, high, "transistor" if pins == 3 else "ic")
    if found := _QUAD.fullmatch(name):
        a, b, high = _hundredths(found[3], found[4], found[5])
        less = LEAD_MM if "QFP" in found[1] else 0.0
        return NamedPackage(a - less, b - less, high, "ic")
    if found := _BALLS.fullmatch(name):
        a, b, high = _hundredths(found[1], found[2], found[3])
        return NamedPackage(a, b, high, "ic")
    return None


def _hundredths(*digits: str) -> tuple[float, ...]:
    return tuple(int(d) / 100 for d in digits)
