"""Write a routed demo design as ordinary open files."""

from __future__ import annotations

import csv
import io
import itertools
from collections import defaultdict
from collections.abc import Sequence
from pathlib import Path

import shapely
from shapely.geometry import LineString, Point, box

from fusilex.core.design.frames import part_to_board
from fusilex.demo.copper import VIA_DRILL, VIA_PAD, Copper, PlacedLand
from fusilex.demo.described import Described, PartRow
from fusilex.demo.footprints import FOOTPRINTS
from fusilex.demo.gerber_out import GerberWriter, excellon, ipc356
from fusilex.formats.panel_file import write_panel

MASK_GROWTH, SILK_WIDTH, TEXT_HEIGHT = 0.05, 0.12, 0.9
NOT_BOUGHT = ("FID", "TP")


def write_design(folder: Path, board: Described, copper: Copper) -> None:
    """All files of a design into `folder`."""
    folder.mkdir(parents=True, exist_ok=True)
    files = {"README.txt": board.readme}
    if board.panel is not None:
        files["panel.json"] = write_panel(board.panel)
    for side, mark in (("top", "Top"), ("bottom", "Bot")):
        if side not in board.layers:
            continue
        for what, made in (
            ("copper", _copper(copper, side, mark)),
            ("mask", _mask(copper, side, mark)),
            ("paste", _paste(copper, side, mark)),
            ("silk", _silk(board, copper, side, mark)),
        ):
            files[f"{board.prefix}-{what}-{side}.gbr"] = made.text()
    outline = GerberWriter("Profile,NP", board=board)
    outline.stroke(list(box(0, 0, board.width, board.height).exterior.coords), 0.1, "Profile")
    files[f"{board.prefix}-outline.gbr"] = outline.text()
    drilled = [(p.x, p.y, p.land.drill) for p in copper.lands if p.land.drill]
    plated = len(board.layers) > 1
    through = [(v.x, v.y, VIA_DRILL) for v in copper.vias]
    holes = [(x, y, board.hole_drill) for x, y in board.holes]
    if plated:
        files[f"{board.prefix}-plated.drl"] = excellon(drilled + through, True)
    files[f"{board.prefix}-unplated.drl"] = excellon(holes if plated else drilled + holes, False)
    files[f"{board.prefix}.ipc"] = _netlist(board, copper)
    files[f"{board.prefix}-placements.csv"] = _placements(board.rows)
    files[f"{board.prefix}-bom.csv"] = _bom(board)
    for name, text in files.items():
        (folder / name).write_text(text, encoding="utf-8", newline="\n")


def _shape(land: PlacedLand, grow: float = 0.0) -> str:
    if land.land.round:
        return f"C,{land.w + 2 * grow:.6f}"
    return f"R,{land.w + 2 * grow:.6f}X{land.h + 2 * grow:.6f}"


def _copper(copper: Copper, side: str, mark: str) -> GerberWriter:
    layer = GerberWriter(f"Copper,L{1 if side == 'top' else 2},{mark}", board=copper.board)
    layer.regions(copper.pour.get(side, []), {".N": "GND"})
    for track in copper.tracks:
        if track.layer == side:
            layer.stroke(track.points, track.width, "Conductor", {".N": track.net})
    for via in copper.vias:
        layer.flash(via.x, via.y, f"C,{VIA_PAD:.6f}", "ViaPad", {".N": via.net})
    for land in copper.lands:
        if side in land.layers:
            function = (
                "ComponentPad"
                if land.land.drill
                else "FiducialPad,Local"
                if land.ref.startswith("FID")
                else "TestPad"
                if land.ref.startswith("TP")
                else "HeatsinkPad"
                if min(land.w, land.h) > 3
                else "SMDPad,CuDef"
            )
            layer.flash(
                land.x, land.y, _shape(land), function, {".P": f"{land.ref},{land.pin}", ".N": land.net, ".C": land.ref}
            )
    return layer


def _mask(copper: Copper, side: str, mark: str) -> GerberWriter:
    layer = GerberWriter(f"Soldermask,{mark}", "Negative", copper.board)
    for land in copper.lands:
        if side in land.layers:
            layer.flash(
                land.x, land.y, "C,2.000000" if land.ref.startswith("FID") else _shape(land, MASK_GROWTH), "Material"
            )
    for x, y in copper.board.holes:
        layer.flash(x, y, f"C,{copper.board.hole_drill + 0.3:.6f}", "Material")
    return layer


def _paste(copper: Copper, side: str, mark: str) -> GerberWriter:
    layer = GerberWriter(f"Paste,{mark}", board=copper.board)
    for land in copper.lands:
        if land.side != side or land.land.drill:
            continue
        attributes = {".P": f"{land.ref},{land.pin}", ".C": land.ref}
        if land.land.paste is None:
            layer.flash(land.x, land.y, _shape(land), "", attributes)
        for dx, dy, w, h in land.land.paste or ():  # windows, in the land's own frame
            x, y = part_to_board((dx, dy), (land.x, land.y), land.turn, side)[0]
            w, h = (h, w) if round(land.turn / 90) % 2 else (w, h)
            layer.flash(float(x), float(y), f"R,{w:.6f}X{h:.6f}", "", attributes)
    return layer


def _letters(text: str, x: float, y: float, height: float, side: str) -> list[list[tuple[float, float]]]:
    """Strokes of a text centred on (x, y); mirrored on the bottom so that it reads from there."""
    from gerbonara.newstroke import Newstroke

    strokes = [[(float(px), -float(py)) for px, py in line] for line in Newstroke.load().render(text, size=height)]
    points = list(itertools.chain.from_iterable(strokes))
    cx = (min(p[0] for p in points) + max(p[0] for p in points)) / 2
    cy = (min(p[1] for p in points) + max(p[1] for p in points)) / 2
    return [
        [(float(q[0]), float(q[1])) for q in part_to_board([(px - cx, py - cy) for px, py in line], (x, y), 0, side)]
        for line in strokes
    ]


def _silk(board: Described, copper: Copper, side: str, mark: str) -> GerberWriter:
    layer = GerberWriter(f"Legend,{mark}", board=board)
    bare = shapely.union_all(
        [p.shape().buffer(MASK_GROWTH + 0.12) for p in copper.lands if side in p.layers]
        + [Point(x, y).buffer(board.hole_drill / 2 + 0.4) for x, y in board.holes]
    )
    inside = box(0.2, 0.2, board.width - 0.2, board.height - 0.2)
    taken = [bare]

    def draw(lines: list[list[tuple[float, float]]], ref: str) -> None:
        for line in lines:
            left = LineString(line).intersection(inside).difference(bare)
            for piece in shapely.get_parts(left):
                if piece.length > 0.08:
                    layer.stroke(list(piece.coords), SILK_WIDTH, "", {".C": ref} if ref else {})

    here = [r for r in board.rows if r.side == side]
    for row in here:
        footprint = FOOTPRINTS[row.body]
        at = (row.x, row.y)
        for line in footprint.silk:
            points = [(float(x), float(y)) for x, y in part_to_board(line, at, row.turn, side)]
            draw([points], row.ref)
            taken.append(LineString(points).buffer(SILK_WIDTH))
        if footprint.mark:
            x, y = part_to_board(footprint.mark, at, row.turn, side)[0]
            layer.flash(float(x), float(y), "C,0.350000", "", {".C": row.ref})
            taken.append(Point(x, y).buffer(0.3))
    courts = {r.ref: box(*FOOTPRINTS[r.body].courtyard) for r in here}
    for row in here:
        if row.ref.startswith(("FID",)):
            continue
        box_ = shapely.Polygon(part_to_board(list(courts[row.ref].exterior.coords), (row.x, row.y), row.turn, side))
        x0, y0, x1, y1 = box_.bounds
        wide, high = 0.42 * TEXT_HEIGHT * len(row.ref) + 0.1, TEXT_HEIGHT / 2 + 0.1
        spots = [(row.x, y1 + high), (row.x, y0 - high), (x0 - wide, row.y), (x1 + wide, row.y), (row.x, row.y)]
        for x, y in spots:
            lines = _letters(row.ref, x, y, TEXT_HEIGHT, side)
            ink = shapely.union_all([LineString(line).buffer(SILK_WIDTH / 2 + 0.05) for line in lines])
            if inside.contains(ink) and not any(ink.intersects(t) for t in taken):
                draw(lines, row.ref)
                taken.append(ink.envelope)
                break
    for text, x, y in board.titles.get(side, ()):
        draw(_letters(text, x, y, 1.4, side), "")
    return layer


def _netlist(board: Described, copper: Copper) -> str:
    records = [
        (p.net, p.ref, p.pin, p.x, p.y, p.w, p.h, p.land.drill, None if p.land.drill else p.side) for p in copper.lands
    ]
    records += [(v.net, "", "", v.x, v.y, VIA_PAD, VIA_PAD, VIA_DRILL, None) for v in copper.vias]
    return ipc356(records, board.title)


def _placements(rows: Sequence[PartRow]) -> str:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["Ref", "X mm", "Y mm", "Turn deg", "Side", "Body", "Value"])
    for row in rows:
        if not row.ref.startswith("TP"):
            writer.writerow([row.ref, f"{row.x:.3f}", f"{row.y:.3f}", f"{row.turn:g}", row.side, row.body, row.value])
    return out.getvalue()


def _bom(board: Described) -> str:
    lines: dict[tuple[str, str], list[str]] = defaultdict(list)
    for row in board.rows:
        if not row.ref.startswith(NOT_BOUGHT):
            lines[(row.value, row.body)].append(row.ref)
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["Refs", "Quantity", "Value", "Body", "Part number", "Fit"])
    for (value, body), refs in lines.items():
        writer.writerow([", ".join(refs), len(refs), value, body, board.part_number(value, body), "yes"])
    return out.getvalue()
