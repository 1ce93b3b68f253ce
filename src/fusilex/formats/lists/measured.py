"""What people measured at the stencil, as CSV: looks through the loupe, weights before and after a print."""

from __future__ import annotations

import re

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from fusilex.core.problems import BadInput
from fusilex.formats.lists.numbers import length_mm, number
from fusilex.formats.lists.tables import ListKind, Table, read_table

MOST_LOOKS, MOST_PRINTS = 1_000, 20_000
MOST_OFF_MM = 10.0
"""A foil that lies further off is laid anew by eye."""
_UNIT = r"(?: ?[\(\[]?(?:mm|mils?|in|inch)[\)\]]?)?"
_LOOKS = ListKind(
    {
        "x": rf"(?:pos(?:ition)? ?)?x{_UNIT}",
        "y": rf"(?:pos(?:ition)? ?)?y{_UNIT}",
        "dx": rf"(?:d|delta|off|offset|shift) ?x{_UNIT}",
        "dy": rf"(?:d|delta|off|offset|shift) ?y{_UNIT}",
    },
    {},
    ("x", "y", "dx", "dy"),
)
_WEIGHTS = ListKind(
    {
        "print": r"print|panel|board|no|nr|number|#",
        "before": r"before(?: ?[\(\[]?m?g[\)\]]?)?|empty(?: ?m?g)?|tare(?: ?m?g)?",
        "after": r"after(?: ?[\(\[]?m?g[\)\]]?)?|printed(?: ?m?g)?|gross(?: ?m?g)?",
    },
    {},
    ("print", "before", "after"),
)


class Weights(Struct, frozen=True, eq=False):
    """Prints by their names, and the grams (n each) of the board before and after."""

    names: tuple[str, ...]
    before_g: NDArray[np.float64]
    after_g: NDArray[np.float64]


def read_looks(data: bytes, name: str) -> tuple[NDArray[np.float64], NDArray[np.float64], float]:
    """Where somebody looked, how far paste lay from its pad (n × 2 each, mm), and the step in which that was written
    down (mm): the last digit of the finest of them. Raises `BadInput`.
    """
    table = read_table(data, name, _LOOKS)
    rows = [[_length(table, row, f) for f in ("x", "y", "dx", "dy")] for row in range(_count(table, MOST_LOOKS))]
    found = np.array(rows, dtype=float).reshape(-1, 4)
    far = np.flatnonzero(np.abs(found[:, 2:]).max(axis=1) > MOST_OFF_MM)
    if len(far):
        expected, off = f"paste at most {MOST_OFF_MM:g} mm off its pad", np.abs(found[far[0], 2:]).max()
        raise BadInput(name, expected, f"{off:g} mm", f"line {table.lines[int(far[0])]}")
    written = [table.cell(row, f) for row in range(len(table.rows)) for f in ("dx", "dy")]
    digits = max(len(m[1]) if (m := re.search(r"[.,](\d+)", cell)) else 0 for cell in written)
    unit = length_mm("1", name, 1, table.columns[table.fields["dx"]].replace("_", " "), table.unit)
    return found[:, :2], found[:, 2:], 10.0**-digits * unit


def read_weights(data: bytes, name: str) -> Weights:
    """Weights of boards before and after each print; g, or mg where the header says so. Raises `BadInput`."""
    table = read_table(data, name, _WEIGHTS)
    rows = range(_count(table, MOST_PRINTS))
    before, after = ([_grams(table, row, f) for row in rows] for f in ("before", "after"))
    for row, (a, b) in enumerate(zip(before, after, strict=True)):
        if not 0 < a < b:
            expected = "a board that weighs more after its print"
            raise BadInput(name, expected, f"{a:g} g, then {b:g} g", f"line {table.lines[row]}")
    return Weights(tuple(table.cell(row, "print") for row in rows), np.array(before), np.array(after))


def _count(table: Table, most: int) -> int:
    if not 1 <= len(table.rows) <= most:
        raise BadInput(table.name, f"1 to {most:,} rows", f"{len(table.rows):,}")
    return len(table.rows)


def _length(table: Table, row: int, field: str) -> float:
    column = table.columns[table.fields[field]]
    return length_mm(table.cell(row, field), table.name, table.lines[row], column.replace("_", " "), table.unit)


def _grams(table: Table, row: int, field: str) -> float:
    column = table.columns[table.fields[field]]
    value, _ = number(table.cell(row, field), table.name, table.lines[row], column)
    return value / 1000 if column.replace("_", " ").strip(" )]").lower().endswith("mg") else value
