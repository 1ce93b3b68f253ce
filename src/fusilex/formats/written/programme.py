"""A machine's programme for a whole panel: CSV lines and RS-274 G-code."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from fusilex.formats.written.words import Number, comment, csv_line


@dataclass(frozen=True)
class Step:
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


def to_gcode(steps: Sequence[Step], travel_z: float = 12.0, board_z: float = 0.0, feed: float = 3000.0) -> str:
    """RS-274 G-code: rapid above each placement, turn on A, down to the part's height, release (M5), up.

    Picking is the machine's own: each step calls for its bin as tool ``T`` (M6) before it moves, with the vacuum on
    (M3).
    """
    lines = [
        "(placing programme; check every first move with the board empty)",
        "G21 (mm)",
        "G90 (absolute)",
        "G94",
        f"F{feed:g}",
        f"G0 Z{travel_z:.3f}",
    ]
    for s in steps:
        lines += [
            comment("cell", s.cell, s.ref, s.value),
            f"T{s.bin_number} M6",
            "M3",
            f"G0 X{s.x:.4f} Y{s.y:.4f} A{s.rotation_deg % 360:.3f}",
            f"G1 Z{board_z + s.height:.3f}",
            "M5",
            f"G0 Z{travel_z:.3f}",
        ]
    return "\n".join([*lines, "M30", ""])
