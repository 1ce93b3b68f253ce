"""A small two-layer grid router: A* with vias and rip-up.

A net may cross the tracks of other nets at a price; the nets it crossed are taken up and routed again. Cells that were
fought over grow dearer, so the nets in the end find ways round one another (negotiated congestion).
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from msgspec import Struct
from shapely.geometry import Point
from shapely.geometry.base import BaseGeometry

from fusilex.demo.copper import (
    CLEARANCE,
    EDGE_CLEARANCE,
    GROUND,
    VIA_PAD,
    Copper,
    PlacedLand,
    Track,
    Via,
    ground_groups,
    pour_ground,
)
from fusilex.demo.described import LAYERS, Described
from fusilex.demo.grid import Grid, Obstacle
from fusilex.demo.search import INF, Cells, search

SLACK = 0.02  # a diagonal step passes a little nearer than its ends
VIA_COST = 8.0


class Link(Struct, eq=False):
    """What one search laid down, and what is taken up again together."""

    net: str
    tracks: list[Track]
    vias: list[Via]


class Router:
    """Routes a board's nets one after another on what is free; `copper` collects tracks and vias."""

    def __init__(self, copper: Copper) -> None:
        self.copper, board = copper, copper.board
        self.grid, self.widths = Grid(board), board.track_widths
        self.obstacles: dict[str, list[Obstacle]] = {layer: [] for layer in LAYERS}
        for layer in LAYERS:
            for land in copper.lands:
                if layer in land.layers:
                    self.obstacles[layer].append(Obstacle(self.grid, land.net, land.shape(), fixed=True))
        self.history = np.zeros((2, self.grid.ny, self.grid.nx))
        self.links: list[Link] = []
        self.crossing = 4.0  # price per cell of running over another net
        inset = EDGE_CLEARANCE
        gx, gy = np.meshgrid(self.grid.xs, self.grid.ys)
        self.edge = (gx < inset) | (gx > board.width - inset) | (gy < inset) | (gy > board.height - inset)
        for x, y in board.holes:
            self.edge |= np.hypot(gx - x, gy - y) < board.hole_drill / 2 + 0.45
        for land in copper.lands:
            if land.ref.startswith("FID"):
                self.edge |= np.hypot(gx - land.x, gy - land.y) < 1.25
        self.no_via = self.edge.copy()
        for land in copper.lands:  # a via in a land would drain its solder; between lands is fine
            if not land.land.drill:
                found = Obstacle(self.grid, land.net, land.shape())
                self.no_via[found.window] |= found.distance < VIA_PAD / 2 + 0.05

    def costs(self, net: str, width: float) -> tuple[np.ndarray, np.ndarray]:
        """Price of a track centre (layer × y × x) and of a via centre (y × x) on each cell; infinite where forbidden.

        Lands and edges forbid; tracks and vias of other nets only cost.
        """
        track = 1.0 + self.history
        via = np.where(self.no_via, np.inf, VIA_COST) + self.history.sum(axis=0)
        track[:, self.edge] = np.inf
        if len(self.copper.board.layers) == 1:  # one side of copper: nothing below, no way through
            track[1], via = np.inf, np.full_like(via, np.inf)
        near, via_near = width / 2 + CLEARANCE + SLACK, VIA_PAD / 2 + CLEARANCE
        for index, layer in enumerate(LAYERS):
            for item in self.obstacles[layer]:
                if item.net != net:
                    price = np.inf if item.fixed else self.crossing
                    track[index][item.window] += np.where(item.distance < near, price, 0.0)
                    via[item.window] += np.where(item.distance < via_near, price, 0.0)
        for other in self.copper.vias:  # hole to hole
            found = Obstacle(self.grid, "", Point(other.x, other.y))
            via[found.window] += np.where(found.distance < 0.55, np.inf if other.net == net else self.crossing, 0.0)
        return track, via

    def victims(self, new: list[Link]) -> list[Link]:
        """Links of other nets that come too near to these new ones."""
        hit = []
        for link in self.links:
            if link.net == new[0].net:
                continue
            for layer in LAYERS:
                fresh = [s for n in new for s in _shapes(n, layer)]
                if any(f.distance(o) < CLEARANCE - 1e-6 for f in fresh for o in _shapes(link, layer)):
                    hit.append(link)
                    break
            else:
                if any(np.hypot(v.x - w.x, v.y - w.y) < 0.55 for n in new for v in n.vias for w in link.vias):
                    hit.append(link)
        return hit

    def rip_up(self, link: Link) -> None:
        """Take a link away again; the cells it lay on grow dearer for all."""
        self.links.remove(link)
        for layer in LAYERS:
            gone = {id(s) for s in (*link.tracks, *link.vias)}
            for item in self.obstacles[layer]:
                if id(item.owner) in gone:
                    self.history[LAYERS.index(layer)][item.window] += np.where(item.distance < CLEARANCE, 0.7, 0.0)
            self.obstacles[layer] = [o for o in self.obstacles[layer] if id(o.owner) not in gone]
        self.copper.tracks = [t for t in self.copper.tracks if id(t) not in gone]
        self.copper.vias = [v for v in self.copper.vias if id(v) not in gone]

    def cells_in(self, shape: BaseGeometry, layers: Iterable[str]) -> Cells:
        found = Obstacle(self.grid, "", shape)
        ys, xs = np.nonzero(found.distance <= 0)
        ys, xs = ys + found.window[0].start, xs + found.window[1].start
        return {
            LAYERS.index(layer) * self.grid.size + int(y) * self.grid.nx + int(x)
            for layer in layers
            for y, x in zip(ys, xs, strict=True)
        }

    def connect(self, net: str, sources: Cells, targets: Cells) -> bool:
        """Join two sets of cells of one net by the cheapest path; records tracks and vias."""
        width = self.widths.get(net, self.copper.board.least_track)
        track, via = self.costs(net, width)
        path = search(track.ravel().tolist(), via.ravel().tolist(), sources, targets, self.grid.nx)
        if path is None:
            return False
        before = len(self.copper.tracks), len(self.copper.vias)
        self._commit(net, width, path)
        self.links.append(Link(net, self.copper.tracks[before[0] :], self.copper.vias[before[1] :]))
        return True

    def _commit(self, net: str, width: float, path: list[int]) -> None:
        size = self.grid.size
        run: list[tuple[float, float]] = []
        layer = path[0] // size
        for cell in path:
            point = self.grid.point(cell)
            if cell // size != layer:
                self._track(net, layer, width, run)
                self.via(net, *point)
                run, layer = [], cell // size
            run.append(point)
        self._track(net, layer, width, run)

    def _track(self, net: str, layer: int, width: float, run: list[tuple[float, float]]) -> None:
        if len(run) < 2:
            return
        kept = [run[0]]
        for before, here, after in zip(run, run[1:], run[2:], strict=False):
            if not np.allclose((here[0] - before[0], here[1] - before[1]), (after[0] - here[0], after[1] - here[1])):
                kept.append(here)
        track = Track(net, LAYERS[layer], width, (*kept, run[-1]))
        self.copper.tracks.append(track)
        self.obstacles[LAYERS[layer]].append(Obstacle(self.grid, net, track.shape(), owner=track))

    def via(self, net: str, x: float, y: float, fixed: bool = False) -> None:
        via = Via(net, x, y)
        self.copper.vias.append(via)
        for layer in LAYERS:
            self.obstacles[layer].append(Obstacle(self.grid, net, via.shape(), fixed, via))

    def fan_out(self, land: PlacedLand) -> None:
        """A short track from a land to a via of its own, laid first and never taken up."""
        width = 0.2 if min(land.w, land.h) > 0.3 else 0.15
        track, via = self.costs(land.net, width)
        layer = LAYERS.index(land.side)
        track[1 - layer] = np.inf
        via[(track[layer] == np.inf) | (via == np.inf)] = np.inf
        spots = {layer * self.grid.size + int(i) for i in np.flatnonzero(via.ravel() < VIA_COST + 1)}
        path = search(
            track.ravel().tolist(),
            [INF] * self.grid.size,
            self.cells_in(land.shape(), (land.side,)),
            spots,
            self.grid.nx,
            blind=True,
        )
        if path is None:
            return
        self._commit(land.net, width, path)
        for item in self.obstacles[land.side]:
            item.fixed = item.fixed or item.net == land.net
        self.via(land.net, *self.grid.point(path[-1]), fixed=True)

    def islands(self, net: str, lands: list[PlacedLand]) -> list[Cells]:
        """Cells of a net's copper, one set per connected piece."""
        pieces = [self.cells_in(p.shape(), p.layers) for p in lands]
        for link in self.links:
            if link.net == net:
                pieces += [self.cells_in(t.shape().buffer(0.01 - t.width / 2), (t.layer,)) for t in link.tracks]
                pieces += [self.cells_in(Point(v.x, v.y).buffer(0.01), LAYERS) for v in link.vias]
        joined: list[Cells] = []
        for piece in pieces:
            touching = [p for p in joined if p & piece]
            joined = [p for p in joined if not p & piece] + [piece.union(*touching)]
        return joined

    def route_net(self, net: str, lands: list[PlacedLand]) -> list[Link] | None:
        """Join all pieces of a net, each to the nearest other; the new links, or None when walled in."""
        new: list[Link] = []
        while len(pieces := self.islands(net, lands)) > 1:
            smallest = min(pieces, key=len)
            others: Cells = set().union(*(p for p in pieces if p is not smallest))
            if not self.connect(net, smallest, others):
                return None
            new.append(self.links[-1])
        return new


def _shapes(link: Link, layer: str) -> list[BaseGeometry]:
    return [t.shape() for t in link.tracks if t.layer == layer] + [v.shape() for v in link.vias]


def route(board: Described, lands: list[PlacedLand]) -> Copper:
    """Route every net of two or more lands and pour ground. Raises RuntimeError when no order of nets succeeds."""
    nets: dict[str, list[PlacedLand]] = {}
    for land in lands:
        nets.setdefault(land.net, []).append(land)
    signal = [n for n, p in nets.items() if len(p) > 1 and n != GROUND]

    def extent(net: str) -> float:
        xs, ys = [p.x for p in nets[net]], [p.y for p in nets[net]]
        return max(xs) - min(xs) + max(ys) - min(ys)

    copper = Copper(board, lands)
    router = Router(copper)
    through = lands if len(board.layers) > 1 else []
    for land in through:  # heat and current down from the bottom-terminated controller
        if land.net == GROUND and land.side == "top" and min(land.w, land.h) > 3 and not land.land.round:
            for dx in (-1.25, 0, 1.25):
                for dy in (-1.25, 0, 1.25):
                    router.via(GROUND, land.x + dx, land.y + dy, fixed=True)
    for land in through:
        if land.net == GROUND and not land.land.drill and max(land.w, land.h) < 3:
            router.fan_out(land)
    queue = sorted(signal, key=extent)
    for turn in range(4000):
        if not queue:
            new = _join_ground(router)
            if not new:
                return copper
        else:
            net = queue.pop(0)
            new = router.route_net(net, nets[net])
            if new is None:
                raise RuntimeError(f"{net} is walled in by lands")
        router.crossing = 4.0 + turn / 25
        for link in router.victims(new) if new else []:
            router.rip_up(link)
            if link.net not in queue and link.net != GROUND:
                queue.append(link.net)
        if turn % 20 == 0:
            print(f"{turn}: {len(queue)} nets to go")
    raise RuntimeError("the nets do not find ways round one another")


def _join_ground(router: Router) -> list[Link]:
    """Pour ground and join its second largest island to the largest; no links when there is one piece already."""
    pour_ground(router.copper)
    groups = ground_groups(router.copper)
    if len(groups) <= 1:
        return []
    cells = [set().union(*(router.cells_in(s, (layer,)) for layer, s in group)) for group in (groups[-1], groups[0])]
    print(f"ground in {len(groups)} pieces; joining one near {groups[-1][0][1].centroid}")
    if not router.connect(GROUND, *cells):
        raise RuntimeError("ground is walled in by lands")
    return router.links[-1:]
