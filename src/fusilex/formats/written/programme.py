"""Placements of a whole panel in the machine's frame, as lines of CSV."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from fusilex.formats.written.words import Number, csv_line


class Step(Struct, frozen=True):
    """One placement in the machine's frame: mm and degrees, counter-clockwise positive. `bin_number` is where it
    comes from.
    """

    cell: int
    ref: str
    x: float
    y: float
    rotation_deg: float
    height: float
    bin_number: int
    value: str
    package: str


HEADER = ("cell", "ref", "x_mm", "y_mm", "rotation_deg", "height_mm", "bin", "value", "package")


def to_csv(steps: Sequence[Step]) -> str:
    """One line a placement, in placing order."""
    rows = [HEADER, *(_row(step) for step in steps)]
    return "".join(map(csv_line, rows))


def _row(s: Step) -> tuple[object, ...]:
    numbers = (Number(f"{s.x:.4f}"), Number(f"{s.y:.4f}"), Number(f"{s.rotation_deg % 360:.3f}"), f"{s.height:.2f}")
    return (s.cell, s.ref, *numbers, s.bin_number, s.value, s.package)
