"""Photographs made up for tests: a board with its parts as a camera might see it, tilted, unevenly lit, blurred, noisy."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import cv2
import numpy as np
from msgspec import Struct, field
from msgspec.structs import replace

from fusilex.core.design.frames import part_to_board
from fusilex.core.design.model import Design, Part

PX_MM, MARGIN_MM = 40, 8.0
BODY = {
    "capacitor": (96, 128, 158),
    "resistor": (38, 36, 34),
    "inductor": (92, 90, 88),
    "electrolytic": (168, 170, 172),
    "connector": (196, 206, 210),
    "crystal": (170, 172, 176),
    "led": (190, 214, 220),
    "ic": (44, 42, 40),
    "transistor": (50, 48, 46),
    "diode": (40, 40, 44),
}
"""Colours of bodies (BGR)."""


class Scene(Struct, frozen=True):
    """What lies on the board, and how it is looked at: parts that are `gone`, `moved` by (dx, dy, turn) in mm and
    degrees in their own board's frame, `swapped` for another marking, `dull` joints of a part; tilt and turn of the
    camera (degrees), shadow or none, blur (px of the picture), noise (levels), seed of this board's own grain; how far
    a body's top is seen off (mm a mm of height), the light's blue, green and red, and the camera's curve.
    """

    gone: tuple[str, ...] = ()
    moved: Mapping[str, tuple[float, float, float]] = field(default_factory=dict)
    swapped: tuple[str, ...] = ()
    dull: tuple[str, ...] = ()
    tilt: tuple[float, float] = (0.0, 0.0)
    turn: float = 0.0
    uneven: float = 0.0
    shadow: bool = False
    blur: float = 0.6
    noise: float = 3.0
    seed: int = 0
    size: tuple[int, int] = (2000, 1500)
    slant: tuple[float, float] = (0.0, 0.0)
    light: tuple[float, float, float] = (1.0, 1.0, 1.0)
    curve: float = 1.0
    fill: float = 0.72


def board_picture(design: Design, side: str, scene: Scene) -> tuple[Any, float, float]:
    """The board straight from above at PX_MM, and where its lower left (mm) is."""
    rng = np.random.default_rng(scene.seed)
    x0, y0, x1, y1 = design.outline.bounds
    wide, high = round((x1 - x0 + 2 * MARGIN_MM) * PX_MM), round((y1 - y0 + 2 * MARGIN_MM) * PX_MM)
    wood = np.random.default_rng(7)
    ground = cv2.GaussianBlur(wood.normal(0, 1, (high, wide)).astype(np.float32), (0, 0), 25, sigmaY=2)
    picture = np.empty((high, wide, 3), np.float32)
    picture[:] = np.array([128, 150, 172]) + 160 * ground[..., None]

    def px(points: Any) -> Any:
        at = np.asarray(points, dtype=float)
        x = at[..., 0] - x0 + MARGIN_MM
        if side == "bottom":
            x = (x1 - x0 + 2 * MARGIN_MM) - x
        return np.stack([x * PX_MM, (y1 - at[..., 1] + MARGIN_MM) * PX_MM], axis=-1)

    def fill(polygon: Any, colour: Any) -> None:
        cv2.fillPoly(picture, [np.round(px(polygon.exterior.coords) * 16).astype(np.int32)], colour, cv2.LINE_AA, 4)

    fill(design.outline, (62.0, 82.0, 34.0))
    for layer in design.layers:
        if layer.side != side:
            continue
        if layer.role == "copper":
            for polygon in layer.polygons:
                fill(polygon, (74.0, 98.0, 44.0))
        elif layer.role == "silk":
            for polygon in layer.polygons:
                fill(polygon, (205.0, 210.0, 205.0))
    for part in design.parts:
        for pad in part.pads:
            if pad.side == side or pad.drill:
                bare = part.ref in scene.dull or not part.populated
                tone = 0.62 if bare else rng.uniform(0.82, 1.12)
                fill(pad.polygon, (176 * tone, 182 * tone, 184 * tone))
                spot = px([pad.polygon.centroid.coords[0]])[0] + rng.normal(0, 0.06 * PX_MM, 2)
                if not bare:
                    radius = 0.22 * PX_MM * min(1.0, pad.polygon.area**0.5)
                    cv2.circle(picture, tuple(int(v) for v in spot), max(1, int(radius)), (232.0,) * 3, -1, cv2.LINE_AA)
    for part in design.parts:
        if part.populated and part.side == side and part.ref not in scene.gone:
            draw_body(picture, part, px, scene, rng)
    return picture, x0, y0


def draw_body(picture: Any, part: Part, px: Any, scene: Scene, rng: Any) -> None:
    """A body with its ends or leads, its marking and its mark, where it lies on this board."""
    dx, dy, turn = scene.moved.get(part.ref, (0.0, 0.0, 0.0))
    lies = replace(
        part,
        x=part.x + dx + rng.normal(0, 0.02) + scene.slant[0] * part.package.height,
        y=part.y + dy + rng.normal(0, 0.02) + scene.slant[1] * part.package.height,
        rotation_deg=part.rotation_deg + turn + rng.normal(0, 0.7),
    )
    sx, sy = part.package.size_x / 2, part.package.size_y / 2
    family = part.package.family
    tone = rng.uniform(0.94, 1.06)

    def at(points: Any) -> Any:
        return px(part_to_board(points, (lies.x, lies.y), lies.rotation_deg, lies.side))

    def box(x0: float, y0: float, x1: float, y1: float, colour: Any) -> None:
        corners = at([(x0, y0), (x1, y0), (x1, y1), (x0, y1)])
        colour = tuple(float(v) * tone for v in colour)
        cv2.fillPoly(picture, [np.round(corners * 16).astype(np.int32)], colour, cv2.LINE_AA, 4)

    colour = np.array(BODY.get(family, (60, 58, 56)), dtype=float)
    if part.ref in scene.swapped:
        colour = np.array([40.0, 66.0, 120.0]) if family == "capacitor" else colour
    box(-sx, -sy, sx, sy, colour)
    if len(part.pads) == 2 and family in ("resistor", "capacitor", "chip", "led"):
        end = 0.24 * max(sx, sy) * 2
        if sx >= sy:
            box(-sx, -sy, -sx + end, sy, (186, 190, 192))
            box(sx - end, -sy, sx, sy, (186, 190, 192))
        else:
            box(-sx, -sy, sx, -sy + end, (186, 190, 192))
            box(-sx, sy - end, sx, sy, (186, 190, 192))
    if family == "electrolytic":
        centre = at([(0.0, 0.0)])[0]
        cv2.circle(picture, tuple(int(v) for v in centre), int(0.46 * 2 * sx * PX_MM), (196.0, 198.0, 200.0), -1)
    if family in ("ic", "transistor", "resistor", "inductor", "diode", "crystal") and min(sx, sy) > 0.2:
        marking(picture, part, at, min(sx, sy), part.ref in scene.swapped)
    if part.package.polarised and part.pin_one is not None:
        back = np.asarray(part_to_board([(0, 0), (1, 0), (0, 1)], (0, 0), part.rotation_deg, part.side))
        frame = np.column_stack([back[1] - back[0], back[2] - back[0]])
        own = np.linalg.solve(frame, np.array(part.pin_one.polygon.centroid.coords[0]) - (part.x, part.y))
        light = colour.mean() < 120
        mark = (214, 218, 220) if light else (46, 44, 42)
        if len(part.pads) == 2:
            along_x = abs(own[0]) >= abs(own[1])
            if along_x:
                s = np.sign(own[0])
                box(*sorted((s * sx * 0.4, s * sx * 0.75))[:1], -sy, sorted((s * sx * 0.4, s * sx * 0.75))[1], sy, mark)
            else:
                s = np.sign(own[1])
                low, high = sorted((s * sy * 0.4, s * sy * 0.75))
                box(-sx, low, sx, high, mark)
        else:
            reach = 0.68
            spot = (np.clip(own[0], -reach * sx, reach * sx), np.clip(own[1], -reach * sy, reach * sy))
            centre, radius = at([spot])[0], 0.13 * min(sx, sy) * 2 * PX_MM
            cv2.circle(picture, tuple(int(v) for v in centre), max(2, int(radius)), tuple(map(float, mark)), -1)


def marking(picture: Any, part: Part, at: Any, half: float, swapped: bool) -> None:
    """Letters of the value, or of another one, printed along the body."""
    text = ("XQ7" if swapped else part.value.replace(" ", "")[:4].upper()) or "?"
    high = 64
    plate = np.zeros((high, 40 * len(text), 3), np.float32)
    cv2.putText(plate, text, (4, 50), cv2.FONT_HERSHEY_SIMPLEX, 1.5, (190.0, 194.0, 196.0), 4, cv2.LINE_AA)
    reach = max(part.package.size_x, part.package.size_y) / 2 * 0.7
    tall = min(half * 0.7, reach * high / plate.shape[1])
    reach = tall * plate.shape[1] / high
    corners = [(-reach, tall), (reach, tall), (reach, -tall), (-reach, -tall)]
    if part.package.size_y > part.package.size_x:
        corners = [(-y, x) for x, y in corners]
    goal = at(corners).astype(np.float32)
    start = np.array([[0, 0], [plate.shape[1], 0], [plate.shape[1], high], [0, high]], np.float32)
    h = cv2.getPerspectiveTransform(start, goal)
    low, most = np.floor(goal.min(axis=0)).astype(int), np.ceil(goal.max(axis=0)).astype(int) + 1
    shift = np.array([[1, 0, -low[0]], [0, 1, -low[1]], [0, 0, 1.0]])
    wide, tall_px = (most - low).tolist()
    ink = cv2.warpPerspective(plate, shift @ h, (wide, tall_px))
    area = picture[low[1] : most[1], low[0] : most[0]]
    np.maximum(area, ink[: area.shape[0], : area.shape[1]], out=area, where=ink[: area.shape[0], : area.shape[1]] > 60)


def view(design: Design, side: str, scene: Scene) -> Any:
    """Where the camera sees a point of the board: from board mm (x, y, 1) to pixels of the photograph (3 × 3)."""
    x0, y0, x1, y1 = design.outline.bounds
    wide, high = (x1 - x0 + 2 * MARGIN_MM) * PX_MM, (y1 - y0 + 2 * MARGIN_MM) * PX_MM
    flip = -1 if side == "bottom" else 1
    left = x1 + MARGIN_MM if side == "bottom" else x0 - MARGIN_MM
    flat = PX_MM * np.array([[flip, 0, -flip * left], [0, -1, y1 + MARGIN_MM], [0, 0, 1 / PX_MM]])
    return camera(scene, wide, high) @ flat


def camera(scene: Scene, wide: float, high: float) -> Any:
    """The pinhole camera over a flat picture of so many pixels (3 × 3)."""
    out_w, out_h = scene.size
    focal = 2.2 * wide
    ax, ay, az = np.radians([*scene.tilt, scene.turn])
    rx = np.array([[1, 0, 0], [0, np.cos(ax), -np.sin(ax)], [0, np.sin(ax), np.cos(ax)]])
    ry = np.array([[np.cos(ay), 0, np.sin(ay)], [0, 1, 0], [-np.sin(ay), 0, np.cos(ay)]])
    rz = np.array([[np.cos(az), -np.sin(az), 0], [np.sin(az), np.cos(az), 0], [0, 0, 1]])
    turn = rz @ rx @ ry
    plane = np.column_stack([turn[:, 0], turn[:, 1], [0, 0, focal]])
    board_px = (wide - 2 * MARGIN_MM * PX_MM, high - 2 * MARGIN_MM * PX_MM)
    zoom = scene.fill * min(out_w / board_px[0], out_h / board_px[1])
    lens = np.array([[focal * zoom, 0, out_w / 2], [0, focal * zoom, out_h / 2], [0, 0, 1]])
    return lens @ plane @ np.array([[1, 0, -wide / 2], [0, 1, -high / 2], [0, 0, 1]])


def photograph(design: Design, side: str = "top", scene: Scene | None = None) -> Any:
    """What the camera sees: an 8-bit BGR picture."""
    scene = scene or Scene()
    flat, _, _ = board_picture(design, side, scene)
    rng = np.random.default_rng(scene.seed + 1000)
    high, wide = flat.shape[:2]
    out_w, out_h = scene.size
    sees = camera(scene, wide, high)
    seen = cv2.warpPerspective(flat, sees, (out_w, out_h), flags=cv2.INTER_AREA, borderMode=cv2.BORDER_REPLICATE)
    y, x = np.mgrid[0:out_h, 0:out_w]
    light = 1 + scene.uneven * ((x / out_w - 0.5) * rng.choice([-1, 1]) + (y / out_h - 0.5) * rng.choice([-1, 1]))
    light = light * (1 - 0.25 * scene.uneven * ((x / out_w - 0.5) ** 2 + (y / out_h - 0.5) ** 2))
    if scene.shadow:
        dark = np.zeros((out_h, out_w), np.float32)
        edge = rng.uniform(0.3, 0.7) * out_w
        cv2.fillPoly(
            dark,
            [np.array([[edge, 0], [edge + 0.25 * out_w, 0], [edge, out_h], [edge - 0.2 * out_w, out_h]], np.int32)],
            1.0,
        )
        light = light * (1 - 0.3 * cv2.GaussianBlur(dark, (0, 0), 18))
    seen = seen * light[..., None]
    if scene.blur:
        seen = cv2.GaussianBlur(seen, (0, 0), scene.blur)
    grain = rng.normal(0, scene.noise, seen.shape)
    if scene.light != (1.0, 1.0, 1.0) or scene.curve != 1.0:
        linear = np.clip(seen / 255, 0, None) ** (2.2 * scene.curve) * np.array(scene.light)
        seen = 255 * linear ** (1 / 2.2)
    return np.clip(seen + grain, 0, 255).astype(np.uint8)
