"""Lists and pads that name every part several times, in layers that repeat: a panel handed in where one board is
meant.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

from msgspec.structs import asdict

from fusilex.core.checks.findings import Finding
from fusilex.core.checks.fixes import Fix
from fusilex.core.checks.repeat import COPY, find_panel
from fusilex.core.design.model import Design
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.core.panel.layout import Panel
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

LEAST_SHARE = 0.5
SIZE_MM = 0.2
"""The boards of a panel may be so much larger or smaller than the outline: the width of the line that draws it."""


def panelised(design: Design) -> Finding | None:
    """The one finding that explains all others where parts are named as often as the layers repeat, else None."""
    if design.panel is not None:
        return None
    times = max(_copies_listed(design), _copies_on_copper(design))
    if times < 2 or (panel := find_panel(design)) is None or panel.count < 2:
        return None
    size = f"{panel.columns} × {panel.rows}"
    return Finding(
        "panel",
        "the panel",
        "lists",
        say("whole panel", size=size),
        quantities=(
            Quantity("copies of every part", times),
            Quantity("pitch across", panel.pitch_x, "mm"),
            Quantity("pitch along", panel.pitch_y, "mm"),
        ),
        fix=Fix("one-cell", "", {"panel": asdict(panel)}, f"one cell of {size} taken as the board"),
    )


def judge_board_size(design: Design, panel: Panel | None) -> list[Judgement]:
    """A panel whose boards are not as large as the outline is cut, stepped and printed beside them."""
    x0, y0, x1, y1 = design.outline.bounds
    sizes = (("width", panel.board_w, x1 - x0), ("height", panel.board_h, y1 - y0)) if panel else ()
    if all(abs(listed - drawn) <= SIZE_MM for _, listed, drawn in sizes):
        return []
    numbers = [Quantity(f"board {way}", listed, "mm", limit=(d - SIZE_MM, d + SIZE_MM)) for way, listed, d in sizes]
    text, do = say("board size differs"), say("measure a cell")
    return [Judgement("ready.panel", Level.STOP, "board size", text, tuple(numbers), do)]


def _copies_listed(design: Design) -> int:
    """How often most references stand in the placement list, by the same name or with the number of a copy behind."""
    plain = [p.ref for p in design.placements]
    numbered = [m[1] for m in map(COPY.fullmatch, plain) if m]
    return max(_usual(plain), _usual(numbered) if len(numbered) > 0.8 * len(plain) else 1)


def _copies_on_copper(design: Design) -> int:
    """How often most pins stand on a layer."""
    return max(
        (_usual(f"{pin[0]} {pin[1]}" for pin in x.pins if pin) for x in design.layers if x.role == "copper"), default=1
    )


def _usual(names: Iterable[str]) -> int:
    """How often most names stand, 1 where no number of times is usual."""
    counts = Counter(Counter(names).values())
    times, how_many = counts.most_common(1)[0] if counts else (1, 0)
    return times if how_many >= LEAST_SHARE * counts.total() else 1
