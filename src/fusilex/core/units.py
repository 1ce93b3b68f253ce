"""Numbers as people read them: no powers of ten, units with their prefixes, resistances and clocks."""

from __future__ import annotations

import math

_STEPS = ((1e9, "G"), (1e6, "M"), (1e3, "k"), (1.0, ""), (1e-3, "m"), (1e-6, "µ"), (1e-9, "n"), (1e-12, "p"))


def show_number(value: float, digits: int = 3) -> str:
    """A number with so many digits that count, written out: no power of ten, whole from there on.

    >>> [show_number(v) for v in (1234.4, 999.6, 0.12345, 1e9, 0.0000123, 2.0, float("inf"))]
    ['1234', '1000', '0.123', '1000000000', '0.0000123', '2', '∞']
    """
    if math.isnan(value):
        return "unknown"
    if math.isinf(value):
        return "∞" if value > 0 else "-∞"
    rounded = float(f"{value:.{digits - 1}e}")
    if rounded == 0:
        return "0"
    if abs(rounded) >= 10 ** (digits - 1):
        return f"{value:.0f}"
    decimals = digits - 1 - math.floor(math.log10(abs(rounded)))
    text = f"{rounded:.{decimals}f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


def show_value(value: float, unit: str, digits: int = 6) -> str:
    """A value as labels write it: ``100 nF``, ``4.7 kΩ``, ``32.768 kHz``.

    >>> show_value(999.6, "Ω", 3), show_value(1e9, "Ω"), show_value(0.0, "Ω")
    ('1 kΩ', '1 GΩ', '0 Ω')
    """
    if value == 0 or not math.isfinite(value):
        return f"{show_number(value)} {unit}"
    size = abs(float(f"{value:.{digits - 1}e}"))  # as it will be shown: 999.6 with three digits is 1000
    scale, prefix = next(((s, p) for s, p in _STEPS if size >= s * (1 - 1e-9)), _STEPS[-1])
    return f"{show_number(float(f'{value / scale:.{digits - 1}e}'), digits)} {prefix}{unit}"


def show_resistance(ohms: float) -> str:
    """Resistance as a meter would show it, three digits.

    >>> [show_resistance(r) for r in (999.6, 4700, 1e9, 0.1, 2.2e6, float("inf"))]
    ['1 kΩ', '4.7 kΩ', '1 GΩ', '0.1 Ω', '2.2 MΩ', 'OL']
    """
    if math.isinf(ohms):
        return "OL"
    return f"{show_number(ohms)} Ω" if abs(ohms) < 1 else show_value(ohms, "Ω", 3)


def clock(seconds: float) -> str:
    """Minutes and seconds.

    >>> clock(187.4)
    '3:07'
    """
    return f"{int(seconds) // 60}:{int(seconds) % 60:02d}"


def begun(words: str) -> str:
    """With a capital, and nothing else changed."""
    return words[:1].upper() + words[1:]
