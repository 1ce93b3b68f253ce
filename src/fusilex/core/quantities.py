"""The one reader and the one writer of quantities. Data are kept in one unit for each dimension: mm, °C, g, s …; people
read and type them in the units that they chose.
"""

from __future__ import annotations

import math
import re

from msgspec import Struct

from fusilex.core.labels import label
from fusilex.core.units import show_number, show_resistance, show_value


class Units(Struct, frozen=True):
    """The units that a person reads."""

    inch: bool = False
    fahrenheit: bool = False


METRIC = Units()


class _Chosen:
    units = METRIC


MM, MM2, MM3, MICRON, CELSIUS, RATE = "mm", "mm²", "mm³", "µm", "°C", "°C/s"
INCH = {
    "mm": ("in", 1 / 25.4),
    "µm": ("mil", 1 / 25.4),
    "mm²": ("in²", 1 / 25.4**2),
    "mm³": ("in³", 1 / 25.4**3),
    "mm/s": ("in/s", 1 / 25.4),
    "mg/mm²": ("g/in²", 25.4**2 / 1000),
}
"""Units of data: what people with inches read instead, and the factor."""
FAHRENHEIT = {"°C": ("°F", 1.8, 32.0), "K": ("°F", 1.8, 0.0), "°C/s": ("°F/s", 1.8, 0.0)}
"""The same for temperatures, with the offset. K is a difference of temperatures, which people read in °C."""
PREFIXED = ("F", "H", "Hz")
_LENGTHS = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "µm": 1e-3, "um": 1e-3, "in": 25.4, '"': 25.4, "mil": 0.0254}
_TEMPERATURES = {"°C": (1.0, 0.0), "C": (1.0, 0.0), "°F": (1 / 1.8, -32 / 1.8), "F": (1 / 1.8, -32 / 1.8)}
_TIMES = {"s": 1.0, "min": 60.0, "h": 3600.0, "d": 86400.0}
_TYPED = re.compile(r"\s*([-+]?(?:\d+(?:[.,]\d+)?|[.,]\d+))\s*(\S.*?)?\s*")


class Quantity(Struct, frozen=True):
    """A number (or a word) with its unit, in the unit that data are kept in.

    `interval` is where 95 % of what the evidence allows lies, None for what is exact as shown; `limit` is what is
    allowed, from and to, ±inf where it is open, and `source` where that comes from. `runs` marks what goes on by the
    clock alone.
    """

    what: str
    value: float | int | str
    unit: str = ""
    interval: tuple[float, float] | None = None
    limit: tuple[float, float] | None = None
    source: str = ""
    runs: bool = False

    def text(self, units: Units | None = None) -> str:
        """What it is and how much: ``foil 0.12 mm``."""
        return f"{label(self.what)} {self.amount(units)}"

    def amount(self, units: Units | None = None, digits: int = 3) -> str:
        """How much, in the chosen units."""
        return self.value if isinstance(self.value, str) else write(self.value, self.unit, digits, units)

    @property
    def bounds(self) -> tuple[float, float]:
        """Between what the value lies: its interval, or what is shown alike with three digits. Numbers only."""
        if self.interval is not None:
            return self.interval
        value = float(self.value)
        if isinstance(self.value, int) or value == 0 or not math.isfinite(value):
            return value, value
        half = 0.5 * 10.0 ** (math.floor(math.log10(abs(value))) - 2)
        return value - half, value + half

    @property
    def inside(self) -> bool:
        """False where a limit is named and the value's interval is not wholly within it."""
        if self.limit is None or isinstance(self.value, str):
            return True
        low, high = self.interval or (float(self.value), float(self.value))
        return self.limit[0] <= low and high <= self.limit[1]


class Range(Struct, frozen=True):
    """From and to, for a message."""

    low: float
    high: float
    unit: str = ""

    def amount(self, units: Units | None = None, digits: int = 3) -> str:
        return write_range(self.low, self.high, self.unit, digits, units)


def amount(value: float, unit: str, half: float | None = None) -> Quantity:
    """A bare quantity for a message, give or take `half` of its unit (95 %)."""
    return Quantity("", value, unit, None if half is None else (value - half, value + half))


def choose(units: Units) -> None:
    """From now on this program writes in these units, where nobody says otherwise."""
    _Chosen.units = units


def chosen() -> Units:
    return _Chosen.units


def converted(value: float, unit: str, units: Units | None = None) -> tuple[float, str]:
    """A value and its unit as people read them.

    >>> converted(214.0, "°C", Units(fahrenheit=True)), converted(10.0, "K", Units(fahrenheit=True))
    ((417.2, '°F'), (18.0, '°F'))
    """
    units = units or _Chosen.units
    if units.fahrenheit and unit in FAHRENHEIT:
        name, factor, offset = FAHRENHEIT[unit]
        return value * factor + offset, name
    if units.inch and unit in INCH:
        name, factor = INCH[unit]
        return value * factor, name
    return value, "°C" if unit == "K" else unit


def write(value: float, unit: str = "", digits: int = 3, units: Units | None = None) -> str:
    """A quantity as people read it, with so many digits that count.

    >>> write(0.12, "mm"), write(0.127, "mm", units=Units(inch=True)), write(2.0, "°C/s"), write(12, "%")
    ('0.12 mm', '0.005 in', '2 °C/s', '12 %')
    """
    if unit == "Ω":
        return show_resistance(value)
    if unit in PREFIXED:
        return show_value(value, unit, digits)
    shown, name = converted(value, unit, units)
    number = str(shown) if isinstance(shown, int) else show_number(shown, digits)
    return f"{number} {name}".rstrip()


def write_fixed(value: float, unit: str, decimals: int, units: Units | None = None) -> str:
    """A quantity with so many decimals, one more in inches: for columns, and readings that must not jump.

    >>> write_fixed(0.25, "mm", 2), write_fixed(0.25, "mm", 2, Units(inch=True)), write_fixed(214.4, "°C", 0)
    ('0.25 mm', '0.010 in', '214 °C')
    """
    shown, name = converted(value, unit, units)
    return f"{shown:.{decimals + (name in ('in', 'in/s'))}f} {name}".rstrip()


def write_length(mm: float, decimals: int = 2, units: Units | None = None) -> str:
    """A length with so many decimals."""
    return write_fixed(mm, "mm", decimals, units)


def write_celsius(celsius: float, decimals: int = 0, units: Units | None = None) -> str:
    """A temperature with so many decimals."""
    return write_fixed(celsius, "°C", decimals, units)


def write_size(width: float, height: float, digits: int = 3, units: Units | None = None) -> str:
    """Width and height: ``44 × 31 mm``."""
    shown, name = write(height, MM, digits, units).rsplit(" ", 1)
    return f"{write(width, MM, digits, units).rsplit(' ', 1)[0]} × {shown} {name}"


def write_point(x: float, y: float, decimals: int = 2, between: str = ", ", units: Units | None = None) -> str:
    """A place or a shift: ``12.31, 8.04 mm``."""
    return f"{write_length(x, decimals, units).rsplit(' ', 1)[0]}{between}{write_length(y, decimals, units)}"


def write_signed(mm: float, units: Units | None = None) -> str:
    """A length with its sign: ``+0.06 mm``."""
    return f"{'-' if mm < 0 else '+'}{write_length(abs(mm), 2, units)}"


def write_range(low: float, high: float, unit: str, digits: int = 3, units: Units | None = None) -> str:
    """From and to: ``235 to 250 °C``.

    >>> write_range(12, 15, "mm", 2, Units(inch=True)), write_range(235, 250, "°C"), write_range(750e3, 35e6, "Ω")
    ('0.47 to 0.59 in', '235 to 250 °C', '750 kΩ to 35 MΩ')
    """
    first, second = write(low, unit, digits, units), write(high, unit, digits, units)
    number, _, name = first.rpartition(" ")
    return f"{number if name == second.rpartition(' ')[2] and number else first} to {second}"


def write_give(value: float, half: float, unit: str, units: Units | None = None) -> str:
    """Give or take (95 %), whole degrees: ``214 ± 3 °C``.

    >>> write_give(100.0, 5.0, "°C", Units(fahrenheit=True))
    '212 ± 9 °F'
    """
    shown, name = converted(value, unit, units)
    wide = converted(half, "K" if unit == "°C" else unit, units)[0]
    return f"{shown:.0f} ± {wide:.0f} {name}"


def read(text: str, unit: str, units: Units = METRIC) -> float:
    """What a person typed, in the unit of data (mm, °C or s, or any other as it is named): a number with a unit of its
    kind, or without, which then is one of `units`. Decimal point or comma. Raises ValueError.

    >>> read("5 mil", "mm"), read("0,12", "mm"), read("0.005", "mm", Units(inch=True)), read("212 °F", "°C")
    (0.127, 0.12, 0.127, 100.0)
    >>> read("2 min", "s"), read("12 g", "g")
    (120.0, 12.0)
    """
    match = _TYPED.fullmatch(text)
    if match is None:
        raise ValueError(text)
    value, given = float(match[1].replace(",", ".")), match[2] or converted(0.0, unit, units)[1]
    if unit == "mm" and given.lower() in _LENGTHS:
        return value * _LENGTHS[given.lower()]
    if unit == "°C" and given.upper() in _TEMPERATURES:
        factor, offset = _TEMPERATURES[given.upper()]
        return value * factor + offset
    if unit == "s" and given.lower() in _TIMES:
        return value * _TIMES[given.lower()]
    if given.lower() != unit.lower():
        raise ValueError(text)
    return value
