"""From the description to copper: lands on the board, routed tracks, vias and the ground pour."""

from __future__ import annotations

from collections.abc import Sequence

import shapely
from msgspec import Struct, field
from shapely import Polygon
from shapely.geometry import LineString, Point, box
from shapely.geometry.base import BaseGeometry

from fusilex.core.design.frames import part_to_board
from fusilex.demo.described import LAYERS, Described, PartRow
from fusilex.demo.footprints import FOOTPRINTS, Land

VIA_PAD, VIA_DRILL = 0.5, 0.3
CLEARANCE, POUR_CLEARANCE, EDGE_CLEARANCE = 0.15, 0.20, 0.35
GROUND = "GND"


class PlacedLand(Struct, frozen=True):
    """A land on the board. `x, y` mm; `w, h` after the turn (turns are multiples of 90)."""

    ref: str
    pin: str
    net: str
    side: str
    x: float
    y: float
    w: float
    h: float
    land: Land
    turn: float

    @property
    def layers(self) -> tuple[str, ...]:
        return LAYERS if self.land.drill else (self.side,)

    def shape(self) -> Polygon:
        if self.land.round:
            return Point(self.x, self.y).buffer(self.w / 2, quad_segs=12)
        return box(self.x - self.w / 2, self.y - self.h / 2, self.x + self.w / 2, self.y + self.h / 2)


class Track(Struct, frozen=True):
    net: str
    layer: str
    width: float
    points: tuple[tuple[float, float], ...]

    def shape(self) -> Polygon:
        return LineString(self.points).buffer(self.width / 2, quad_segs=8)


class Via(Struct, frozen=True):
    net: str
    x: float
    y: float

    def shape(self) -> Polygon:
        return Point(self.x, self.y).buffer(VIA_PAD / 2, quad_segs=12)


class Copper(Struct):
    board: Described
    lands: list[PlacedLand]
    tracks: list[Track] = field(default_factory=list)
    vias: list[Via] = field(default_factory=list)
    pour: dict[str, list[Polygon]] = field(default_factory=dict)

    def items(self, layer: str) -> list[tuple[str, BaseGeometry]]:
        """(net, shape) of lands, tracks and vias on a layer, without the pour."""
        found = [(p.net, p.shape()) for p in self.lands if layer in p.layers]
        found += [(t.net, t.shape()) for t in self.tracks if t.layer == layer]
        return found + [(v.net, v.shape()) for v in self.vias]


def place_lands(rows: Sequence[PartRow]) -> list[PlacedLand]:
    """Every land of every part in the board frame; unconnected lands get a net of their own, ``ref.pin``."""
    placed = []
    for row in rows:
        for index, land in enumerate(FOOTPRINTS[row.body].lands):
            x, y = part_to_board((land.x, land.y), (row.x, row.y), row.turn, row.side)[0]
            w, h = (land.h, land.w) if round(row.turn / 90) % 2 else (land.w, land.h)
            net = row.nets[index] if index < len(row.nets) else f"{row.ref}.{land.pin}"
            placed.append(
                PlacedLand(
                    row.ref, land.pin, net, row.side, round(float(x), 4), round(float(y), 4), w, h, land, row.turn
                )
            )
    return placed


def pour_ground(copper: Copper) -> None:
    """Fill the layers with ground around everything else: thermal spokes on lands, slivers under 0.2 mm removed."""
    made = copper.board
    board = box(0, 0, made.width, made.height).buffer(-EDGE_CLEARANCE)
    holes = shapely.union_all([Point(x, y).buffer(made.hole_drill / 2 + 0.4) for x, y in made.holes])
    for layer in made.layers:
        others = [shape.buffer(POUR_CLEARANCE, quad_segs=4) for net, shape in copper.items(layer) if net != GROUND]
        fiducials = [Point(p.x, p.y).buffer(1.0) for p in copper.lands if p.ref.startswith("FID") and layer in p.layers]
        free = board.difference(shapely.union_all([*others, *fiducials, holes]))
        lands = [p for p in copper.lands if p.net == GROUND and layer in p.layers and max(p.w, p.h) < 3.0]
        moats = shapely.union_all([p.shape().buffer(0.25, join_style="mitre") for p in lands])
        spokes = shapely.union_all([s for p in lands for s in _spokes(p)])
        filled = free.difference(moats).union(spokes.intersection(free))
        filled = (
            filled.buffer(-0.1, join_style="mitre").buffer(0.1, join_style="mitre").intersection(free).simplify(0.005)
        )
        pieces = [p for p in shapely.get_parts(filled) if isinstance(p, Polygon) and p.area > 0.3]
        grounded = shapely.union_all([s for net, s in copper.items(layer) if net == GROUND])
        copper.pour[layer] = sorted((p for p in pieces if p.intersects(grounded)), key=lambda p: -p.area)


def _spokes(land: PlacedLand) -> list[Polygon]:
    reach, half = 0.45, 0.125
    return [
        box(land.x - land.w / 2 - reach, land.y - half, land.x + land.w / 2 + reach, land.y + half),
        box(land.x - half, land.y - land.h / 2 - reach, land.x + half, land.y + land.h / 2 + reach),
    ]


def ground_groups(copper: Copper) -> list[list[tuple[str, BaseGeometry]]]:
    """Ground copper in connected groups, pour included: each group a list of (layer, shape). One group is the aim."""
    shapes: list[BaseGeometry] = []
    layers: list[str] = []
    for layer in copper.board.layers:
        own = [s for net, s in copper.items(layer) if net == GROUND] + copper.pour.get(layer, [])
        shapes += own
        layers += [layer] * len(own)
    if not shapes:
        return []
    parent = list(range(len(shapes)))

    def find(i: int) -> int:
        while parent[i] != i:
            parent[i] = parent[parent[i]]
            i = parent[i]
        return i

    through = {(round(v.x, 3), round(v.y, 3)) for v in copper.vias} | {
        (round(p.x, 3), round(p.y, 3)) for p in copper.lands if p.land.drill
    }
    a, b = shapely.STRtree(shapes).query(shapes, predicate="intersects")
    barrels: dict[tuple[float, float], int] = {}
    for i, j in zip(a, b, strict=True):
        if layers[i] == layers[j]:
            parent[find(int(i))] = find(int(j))
    for i, shape in enumerate(shapes):
        centre = (round(shape.centroid.x, 3), round(shape.centroid.y, 3))
        if centre in through:
            parent[find(i)] = find(barrels.setdefault(centre, i))
    groups: dict[int, list[tuple[str, BaseGeometry]]] = {}
    for i, shape in enumerate(shapes):
        groups.setdefault(find(i), []).append((layers[i], shape))
    return sorted(groups.values(), key=lambda g: -sum(s.area for _, s in g))
