"""Readings of boards as CSV: `board,measurement,value,unit[,low,high][,uncertainty]`, a row a reading, in the order in
which they were taken.
"""

from __future__ import annotations

import csv
import io
import math
import re

from msgspec.structs import replace

from fusilex.core.measuring.lots import Taken
from fusilex.core.problems import BadInput
from fusilex.formats.lists.grids import decode
from fusilex.formats.lists.numbers import number

NEEDED, MOST_ROWS, MOST_WORD = ("board", "measurement", "value", "unit"), 200_000, 200
_PREFIX = {"p": 1e-12, "n": 1e-9, "u": 1e-6, "µ": 1e-6, "μ": 1e-6, "m": 1e-3, "k": 1e3, "M": 1e6, "G": 1e9}
_UNIT = re.compile(r"^(?P<prefix>[pnuµμmkMG]?)(?P<base>V|A|Ω|\u2126|[Oo]hm|W|Hz|F|H|s|g)$")


def read_readings(data: bytes, name: str) -> list[Taken]:
    """Readings in their order; a measurement given in mV and V is told in its first unit. Raises `BadInput` with the
    line.
    """
    text = decode(data, name)
    first = text.partition("\n")[0]
    between = max(",;\t", key=first.count)
    rows = csv.reader(io.StringIO(text), delimiter=between)
    head = [cell.strip().lower() for cell in next(rows, [])]
    if not set(NEEDED) <= set(head):
        raise BadInput(name, "columns " + ", ".join(NEEDED), ", ".join(head)[:80] or "nothing", "line 1")
    if len(set(head)) < len(head):
        raise BadInput(name, "columns of different names", ", ".join(head)[:80], "line 1")
    units: dict[str, str] = {}
    found: list[Taken] = []
    for line, row in enumerate(rows, 2):
        if not any(cell.strip() for cell in row):
            continue
        if len(row) < len(head):
            row = [*row, *[""] * (len(head) - len(row))]
        if len(row) > len(head):
            raise BadInput(name, f"{len(head)} cells", str(len(row)), f"line {line}")
        if len(found) == MOST_ROWS:
            raise BadInput(name, f"at most {MOST_ROWS} rows", "more", f"line {line}")
        found.append(_taken({h: c.strip() for h, c in zip(head, row, strict=True)}, units, name, line))
    if not found:
        raise BadInput(name, "at least one reading", "none")
    finest: dict[str, float] = {}
    for reading in found:  # last digits that are zero are often left out: the finest of a measurement tells its step
        finest[reading.measurement] = min(finest.get(reading.measurement, math.inf), reading.step)
    return [replace(reading, step=finest[reading.measurement]) for reading in found]


def _taken(cells: dict[str, str], units: dict[str, str], name: str, line: int) -> Taken:
    board, what, unit = cells["board"], cells["measurement"], cells["unit"]
    for column in ("board", "measurement"):
        if not 0 < len(cells[column]) <= MOST_WORD:
            raise BadInput(name, f"a {column}", cells[column][:40] or "nothing", f"line {line}")
    factor = _factor(unit, units.setdefault(what, unit), name, line)
    value = _number(cells["value"], name, line, "value")
    low, high = (_limit(cells.get(c, ""), name, line, c) for c in ("low", "high"))
    low, high = -math.inf if low is None else low, math.inf if high is None else high
    if low > high:
        raise BadInput(name, "a lower limit below the upper one", f"{low:g} and {high:g}", f"line {line}")
    room = _limit(cells.get("uncertainty", ""), name, line, "uncertainty") or 0.0
    if room < 0:
        raise BadInput(name, "an uncertainty of 0 or more", f"{room:g}", f"line {line}")
    limits, step = (low * factor, high * factor), _last_digit(cells["value"]) * factor
    return Taken(board, what, value * factor, units[what], *limits, room * factor, step)


def _last_digit(text: str) -> float:
    """What one of its last digit is worth.

    >>> _last_digit("3.30"), _last_digit("2,5e3"), _last_digit("1004")
    (0.01, 100.0, 1.0)
    """
    found = _LAST.search(text.strip())
    decimals, exponent = (len(found[1] or ""), int(found[2] or 0)) if found else (0, 0)
    return float(10.0 ** (exponent - decimals))


_LAST = re.compile(r"(?:[.,](\d{1,15}))?(?:[eE]([-+]?\d{1,2}))?$")


def _factor(unit: str, first: str, name: str, line: int) -> float:
    """What a unit is in the first one of its measurement."""
    if unit == first:
        return 1.0
    own, wanted = _UNIT.match(unit), _UNIT.match(first)
    if not own or not wanted or _base(own["base"]) != _base(wanted["base"]):
        raise BadInput(
            name, f"the unit of the same measurement before, {first or 'none'}", unit or "none", f"line {line}"
        )
    return _PREFIX.get(own["prefix"], 1.0) / _PREFIX.get(wanted["prefix"], 1.0)


def _base(unit: str) -> str:
    return "Ω" if unit.lower() in ("ohm", "\u2126", "ω") else unit


_TWO_WAYS = re.compile(r"[-+]?[1-9]\d{0,2},\d{3}")
"""A thousand to some, a decimal comma to others."""


def _number(text: str, name: str, line: int, column: str) -> float:
    if _TWO_WAYS.fullmatch(text.strip()):
        one, other = text.strip().replace(",", ""), text.strip().replace(",", ".")
        raise BadInput(name, f"{one} or {other}, without the comma", text[:40], f"line {line}, column {column}")
    value, unit = number(text, name, line, column)
    if unit:
        raise BadInput(name, "a number, its unit in the column of units", text[:40], f"line {line}")
    return value


def _limit(text: str, name: str, line: int, column: str) -> float | None:
    return _number(text, name, line, column) if text else None
