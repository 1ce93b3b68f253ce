"""What a demo design is generated from: its parts with their nets, its board, how it is stepped and written."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct, field

from fusilex.core.panel.layout import Panel

LAYERS = ("top", "bottom")


class PartRow(Struct, frozen=True):
    ref: str
    body: str
    value: str
    x: float
    y: float
    turn: float
    side: str
    nets: tuple[str, ...]


class Described(Struct, frozen=True):
    """A board of `width` × `height` mm with copper on `layers`. `titles` are (text, x, y) printed on each side; `x2`
    says whether its files carry attributes.
    """

    title: str
    prefix: str
    width: float
    height: float
    rows: tuple[PartRow, ...]
    holes: tuple[tuple[float, float], ...]
    hole_drill: float
    readme: str
    panel: Panel | None = None
    layers: tuple[str, ...] = LAYERS
    track_widths: Mapping[str, float] = field(default_factory=dict)
    least_track: float = 0.15
    titles: Mapping[str, tuple[tuple[str, float, float], ...]] = field(default_factory=dict)
    part_numbers: Mapping[str, str] = field(default_factory=dict)
    x2: bool = True

    def part_number(self, value: str, body: str) -> str:
        """Stock number of a line, invented."""
        return self.part_numbers.get(value) or f"SR-{sum(map(ord, value + body)) % 900 + 1000}"


def rows_of(table: str) -> tuple[PartRow, ...]:
    """Rows of a table: ref | body | value | x | y | turn | side | nets in pin order."""
    rows = []
    for line in table.strip().splitlines():
        ref, body, value, x, y, turn, side, nets = (cell.strip() for cell in line.split("|"))
        names = () if nets == "-" else tuple(nets.split())
        rows.append(PartRow(ref, body, value, float(x), float(y), float(turn), side, names))
    return tuple(rows)
