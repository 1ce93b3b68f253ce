"""Bodies by the everyday names of JEDEC, EIA and IEC outlines: SO, TSSOP, SOT, DPAK, SMA, tantalum cases, DIP, pin
headers.

Nominal sizes; the part maker's sheet wins.
"""

from __future__ import annotations

import re
from collections.abc import Callable

from fusilex.core.packages.land_pattern_names import NamedPackage

_SO = {8: 4.9, 14: 8.65, 16: 9.9}  # MS-012, package 3.9 mm wide: length by pins
_SO_WIDE = {16: 10.3, 18: 11.55, 20: 12.8, 24: 15.4, 28: 17.9}  # MS-013, 7.5 mm
_TSSOP = {8: 3.0, 14: 5.0, 16: 5.0, 20: 6.5, 24: 7.8, 28: 9.7, 38: 9.7, 48: 12.5, 56: 14.0}  # MO-153
_SSOP = {8: 2.95, 14: 6.2, 16: 6.2, 20: 7.2, 24: 8.2, 28: 10.2}  # MO-150, 5.3 mm
_SIZE = r"(\d+(?:\.\d+)?) ?(?:MM)? ?X ?(\d+(?:\.\d+)?)"

_FIXED: list[tuple[str, NamedPackage]] = [
    (r"(?:M|V)SSOP-?8|MSOP-?(?:8|10)|UMAX", NamedPackage(3.0, 3.0, 1.1, "ic")),
    (r"SOT-?223", NamedPackage(3.5, 6.5, 1.7, "transistor")),
    (r"SOT-?89", NamedPackage(2.5, 4.5, 1.5, "transistor")),
    (r"SOT-?3[256]3|SC-?70(?:-?\d)?|SC-?88A?", NamedPackage(1.25, 2.0, 0.95, "transistor")),
    (r"SOT-?5[56]3", NamedPackage(1.2, 1.6, 0.55, "transistor")),
    (r"SOT-?[45]23|SC-?[78][59]", NamedPackage(0.8, 1.6, 0.75, "transistor")),
    (r"SOT-?723", NamedPackage(0.8, 1.2, 0.5, "transistor")),
    (r"TO-?252|D-?PAK", NamedPackage(6.1, 6.6, 2.3, "transistor")),
    (r"TO-?263|D2-?PAK", NamedPackage(9.2, 10.2, 4.4, "transistor")),
    (r"TO-?220", NamedPackage(10.0, 4.6, 15.0, "transistor", "tht")),
    (r"TO-?92", NamedPackage(4.8, 3.8, 4.8, "transistor", "tht")),
    (r"SOD-?523", NamedPackage(1.2, 0.8, 0.65, "diode")),
    (r"SOD-?923", NamedPackage(0.8, 0.6, 0.4, "diode")),
    (r"SOD-?128", NamedPackage(3.8, 2.6, 1.0, "diode")),
    (r"(?:DO-?214 ?AC|SMA)", NamedPackage(4.3, 2.6, 2.2, "diode")),
    (r"(?:DO-?214 ?AA|SMB)", NamedPackage(4.6, 3.6, 2.3, "diode")),
    (r"(?:DO-?214 ?AB|SMC)", NamedPackage(7.0, 5.9, 2.4, "diode")),
    (r"SOD-?80|MINI ?-?MELF|MELF ?0204", NamedPackage(3.6, 1.5, 1.5, "chip")),
    (r"MICRO ?-?MELF|MELF ?0102", NamedPackage(2.0, 1.1, 1.1, "chip")),
    (r"MELF(?: ?0207)?", NamedPackage(5.8, 2.3, 2.3, "chip")),
    (r"3216-?(?:12|18)|(?:TANT(?:ALUM)?|CASE) ?-?A", NamedPackage(3.2, 1.6, 1.6, "capacitor")),
    (r"3528-?(?:12|21)|(?:TANT(?:ALUM)?|CASE) ?-?B", NamedPackage(3.5, 2.8, 1.9, "capacitor")),
    (r"6032-?(?:15|28)|(?:TANT(?:ALUM)?|CASE) ?-?C", NamedPackage(6.0, 3.2, 2.5, "capacitor")),
    (r"7343-?(?:20|31)|(?:TANT(?:ALUM)?|CASE) ?-?D", NamedPackage(7.3, 4.3, 2.9, "capacitor")),
    (r"7343-?43|(?:TANT(?:ALUM)?|CASE) ?-?E", NamedPackage(7.3, 4.3, 4.1, "capacitor")),
    (r"(?:LED|PLCC) ?-?3528|PLCC-?[24]", NamedPackage(3.5, 2.8, 1.9, "led")),
    (r"(?:LED|PLCC) ?-?5050|PLCC-?6", NamedPackage(5.0, 5.0, 1.6, "led")),
    (r"HC-?49.*SM[DT]", NamedPackage(11.4, 4.7, 4.2, "crystal", polarised=False)),
    (r"HC-?49", NamedPackage(11.0, 4.7, 13.5, "crystal", "tht", False)),
]


def _by_pins(lengths: dict[int, float], wide: float, high: float) -> Callable[[re.Match[str]], NamedPackage | None]:
    def package(found: re.Match[str]) -> NamedPackage | None:
        long = lengths.get(int(found[1]))
        return None if long is None else NamedPackage(wide, long, high, "ic")

    return package


def _square(high: float) -> Callable[[re.Match[str]], NamedPackage | None]:
    def package(found: re.Match[str]) -> NamedPackage | None:
        return NamedPackage(float(found[1]), float(found[2]), high, "ic")

    return package


def _dip(found: re.Match[str]) -> NamedPackage | None:
    """MS-001 and MS-011: 6.4 mm wide up to 20 pins, else 13.8; a tenth of an inch a pin."""
    pins = int(found[1])
    return NamedPackage(6.4 if pins <= 20 else 13.8, pins / 2 * 2.54, 3.8, "ic", "tht") if pins % 2 == 0 else None


def _header(found: re.Match[str]) -> NamedPackage | None:
    rows, pins = int(found[1]), int(found[2])
    pitch = float(found[3]) if found[3] else 2.54
    mount = "smd" if re.search(r"SM[DT]", found.string) else "tht"
    return NamedPackage(rows * pitch, pins * pitch, 8.5, "connector", mount)


def _can(found: re.Match[str]) -> NamedPackage | None:
    """A vertical can on a plastic base a little wider than itself: diameter and height."""
    across, high = float(found[1]), float(found[2])
    return NamedPackage(across + 0.3, across + 0.3, high, "electrolytic") if 3 <= across <= 20 else None


def _crystal(found: re.Match[str]) -> NamedPackage | None:
    return NamedPackage(int(found[1]) / 10, int(found[2]) / 10, 0.9, "crystal", polarised=False)


_BUILT: list[tuple[str, Callable[[re.Match[str]], NamedPackage | None]]] = [
    (r"(?:TSSOP|HTSSOP)-?(\d+)", _by_pins(_TSSOP, 4.4, 1.1)),
    (r"(?<![A-Z])SSOP-?(\d+)", _by_pins(_SSOP, 5.3, 1.8)),
    (r"(?:SOIC|SO|SOP)-?(\d+)(?:-?W|.*WIDE|.*7\.5)", _by_pins(_SO_WIDE, 7.5, 2.5)),
    (
        r"(?<![A-Z])(?:SOIC|SO|SOP)-?(\d+)(?!\d)",
        _by_pins(_SO | {k: v for k, v in _SO_WIDE.items() if k > 16}, 3.9, 1.6),
    ),
    (rf"[LT]?QFP-?\d+.*?{_SIZE}", _square(1.4)),
    (rf"(?:DFN|SON|WSON|VSON|LGA|BGA|CSP|WLCSP|WLP)-?\d*.*?{_SIZE}", _square(0.8)),
    (r"(?<![A-Z])[PC]?DIP-?(\d+)", _dip),
    (r"(?:HEADER|HDR|PIN ?STRIP|SOCKET).*?(\d) ?X ?0?(\d{1,2})(?:.*?P? ?(1\.0|1\.27|2\.0|2\.54)(?! ?X))?", _header),
    (rf"(?:ELEC|ELKO|CAN|ALU)[A-Z]*[ -]*D?{_SIZE}", _can),
    (
        r"(?:CRYSTAL|XTAL|QUARTZ|OSC|RESONATOR).*?(?<!\d)(12|16|20|25|32|50|60|70)(10|12|16|20|25|32|35|50)(?!\d)",
        _crystal,
    ),
]


def package_by_outline(name: str) -> NamedPackage | None:
    """The body an everyday outline name stands for, or None. `name` in capitals, underscores as blanks."""
    for pattern, make in _BUILT:
        if (found := re.search(pattern, name)) and (package := make(found)):
            return package
    return next(
        (package for pattern, package in _FIXED if re.search(rf"(?<![A-Z0-9])(?:{pattern})(?![A-Z0-9])", name)), None
    )
