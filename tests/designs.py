"""Small designs made in memory: two pads a part on one side, for sums that can be done by hand."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
import shapely

from fusilex.core.design.join import join
from fusilex.core.design.model import BomLine, Design, Layer, NetPoint, Placement
from fusilex.core.packages.catalogue import Catalogue
from fusilex.demo.gerber_out import GerberWriter, excellon
from fusilex.formats.bundle import Files


def layer(role: str, side: str | None, polygons: Sequence[shapely.Polygon], flashed: bool = True) -> Layer:
    """A layer of plain shapes without attributes."""
    n = len(polygons)
    made = np.empty(n, dtype=object)
    made[:] = list(polygons)
    return Layer(role, side, made, np.full(n, flashed), (None,) * n, (None,) * n, (None,) * n)


def two_pad_design(
    placements: Sequence[Placement],
    bom: Sequence[BomLine] = (),
    nets: Mapping[tuple[str, str], str] | None = None,
    apart: float = 1.0,
    size: float = 0.5,
    metric: bool = False,
    board: tuple[float, float] = (40.0, 30.0),
) -> Design:
    """Every placement on two square pads along x, `apart` mm between their middles, on a board of the given size."""
    shapes, points = [], []
    for p in placements:
        for pin, dx in (("1", -apart / 2), ("2", apart / 2)):
            shapes.append(shapely.box(p.x + dx - size / 2, p.y - size / 2, p.x + dx + size / 2, p.y + size / 2))
            if nets is not None:
                points.append(NetPoint(nets.get((p.ref, pin)), p.ref, pin, p.x + dx, p.y, p.side))
    layers = (layer("copper", "top", shapes), layer("paste", "top", shapes))
    outline = shapely.box(0, 0, *board)
    design = Design(
        "small", (), layers, (), outline, tuple(placements), tuple(bom), tuple(points), catalogue=Catalogue(metric)
    )
    return join(design)


def board_files(rows: Sequence[tuple[str, str, float, float, str]], size: tuple[float, float] = (40.0, 30.0)) -> Files:
    """Files of a board: (ref, package, x, y, side) with package ``0805`` on pads or ``header`` on two plated holes."""
    layers = {(role, side): GerberWriter(f"{role},{MARK[side]}") for role in ROLES for side in MARK}
    holes: list[tuple[float, float, float]] = []
    for ref, package, x, y, side in rows:
        for pin, dx in (("1", -1.0), ("2", 1.0)):
            leaded = package == "header"
            named = {".P": f"{ref},{pin}", ".C": ref, ".N": f"{ref}.{pin}"}
            for there in MARK if leaded else (side,):
                shape = "C,1.700000" if leaded else "R,1.000000X1.300000"
                layers[ROLES[0], there].flash(x + dx, y, shape, "ComponentPad" if leaded else "SMDPad,CuDef", named)
                layers[ROLES[1], there].flash(x + dx, y, shape)
                if not leaded:
                    layers[ROLES[2], there].flash(x + dx, y, shape, "", {".P": f"{ref},{pin}", ".C": ref})
            if leaded:
                holes.append((x + dx, y, 1.0))
    files = {}
    for (role, side), written in layers.items():
        if written.body or role == ROLES[0]:
            name = role if role != ROLES[0] else f"Copper,L{1 if side == 'top' else 2}"
            written.function = f"{name},{MARK[side]}"
            files[f"{role}-{side}.gbr"] = written.text().encode()
    outline = GerberWriter("Profile,NP")
    outline.stroke(list(shapely.box(0, 0, *size).exterior.coords), 0.1, "Profile")
    files["outline.gbr"] = outline.text().encode()
    if holes:
        files["plated.drl"] = excellon(holes, True).encode()
    lines = [f"{ref},{x},{y},0,{side},{WORDS[package]},{VALUES[package]}" for ref, package, x, y, side in rows]
    files["placements.csv"] = ("Ref,X mm,Y mm,Turn deg,Side,Body,Value\n" + "\n".join(lines)).encode()
    bought = [f"{ref},1,{VALUES[package]},{WORDS[package]},P-{package}" for ref, package, *_ in rows]
    files["bom.csv"] = ("Refs,Quantity,Value,Body,Part number\n" + "\n".join(bought)).encode()
    return files


MARK = {"top": "Top", "bottom": "Bot"}
ROLES = ("Copper", "Soldermask", "Paste")
WORDS, VALUES = {"0805": "0805", "header": "Header 1x2"}, {"0805": "10 k", "header": "2-way"}
