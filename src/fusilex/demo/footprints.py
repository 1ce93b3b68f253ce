"""Land patterns of the bodies that the demo designs use, in each part's own frame (mm, pin 1 upper left)."""

from __future__ import annotations

from msgspec import Struct


class Land(Struct, frozen=True):
    """One land. `drill` makes it a through-hole land; `paste` lists window rectangles (dx, dy, w, h) or None for
    all.
    """

    pin: str
    x: float
    y: float
    w: float
    h: float
    round: bool = False
    drill: float = 0.0
    paste: tuple[tuple[float, float, float, float], ...] | None = None


class Footprint(Struct, frozen=True):
    """`courtyard` is (x0, y0, x1, y1); `silk` is polylines; `mark` is the pin-1 or polarity dot (x, y) if any."""

    lands: tuple[Land, ...]
    courtyard: tuple[float, float, float, float]
    silk: tuple[tuple[tuple[float, float], ...], ...] = ()
    mark: tuple[float, float] | None = None


def _box(x0: float, y0: float, x1: float, y1: float) -> tuple[tuple[float, float], ...]:
    return ((x0, y0), (x1, y0), (x1, y1), (x0, y1), (x0, y0))


def _two(
    pitch: float,
    w: float,
    h: float,
    court: tuple[float, float],
    silk: float = 0.0,
    bar: bool = False,
    pins: tuple[str, str] = ("1", "2"),
) -> Footprint:
    x = pitch / 2
    cx, cy = court[0] / 2, court[1] / 2
    lines: tuple[tuple[tuple[float, float], ...], ...] = ()
    if silk:
        lines = (((-silk, cy - 0.05), (silk, cy - 0.05)), ((-silk, 0.05 - cy), (silk, 0.05 - cy)))
    if bar:  # the cathode, pin 1, is marked by a bar outside its land
        lines = (*lines, ((-cx + 0.05, -cy + 0.1), (-cx + 0.05, cy - 0.1)))
    return Footprint((Land(pins[0], -x, 0, w, h), Land(pins[1], x, 0, w, h)), (-cx, -cy, cx, cy), lines)


def _qfn32() -> Footprint:
    lands = []
    for i in range(8):
        step = 1.75 - 0.5 * i
        lands.append(Land(str(1 + i), -2.45, step, 0.8, 0.25))
        lands.append(Land(str(9 + i), -step, -2.45, 0.25, 0.8))
        lands.append(Land(str(17 + i), 2.45, -step, 0.8, 0.25))
        lands.append(Land(str(25 + i), step, 2.45, 0.25, 0.8))
    windows = tuple((dx, dy, 1.1, 1.1) for dx in (-0.75, 0.75) for dy in (-0.75, 0.75))
    lands.sort(key=lambda land: int(land.pin))
    lands.append(Land("33", 0, 0, 3.3, 3.3, paste=windows))
    corners = tuple(
        ((sx * 2.6, sy * 2.15), (sx * 2.6, sy * 2.6), (sx * 2.15, sy * 2.6)) for sx, sy in ((1, 1), (1, -1), (-1, -1))
    )
    return Footprint(tuple(lands), (-3.1, -3.1, 3.1, 3.1), corners, (-2.75, 2.75))


def _sot23(pins: int) -> Footprint:
    left = [("1", 0.95), ("2", -0.95)] if pins == 3 else [("1", 0.95), ("2", 0.0), ("3", -0.95)]
    right = [("3", 0.0)] if pins == 3 else [("4", -0.95), ("5", 0.95)]
    lands = [Land(p, -1.15, y, 1.05, 0.6) for p, y in left] + [Land(p, 1.15, y, 1.05, 0.6) for p, y in right]
    silk = (((-0.4, 1.55), (0.7, 1.55)), ((-0.4, -1.55), (0.7, -1.55)))
    return Footprint(tuple(lands), (-1.9, -1.75, 1.9, 1.75), silk, (-1.25, 1.5))


def _soic8() -> Footprint:
    lands = [Land(str(1 + i), -2.7, 1.905 - 1.27 * i, 1.5, 0.6) for i in range(4)]
    lands += [Land(str(5 + i), 2.7, -1.905 + 1.27 * i, 1.5, 0.6) for i in range(4)]
    silk = (((-1.7, 2.5), (1.7, 2.5)), ((-1.7, -2.5), (1.7, -2.5)))
    return Footprint(tuple(lands), (-3.7, -2.75, 3.7, 2.75), silk, (-2.6, 2.55))


def _usb() -> Footprint:
    lands = [Land(str(1 + i), 2.3, 1.3 - 0.65 * i, 1.4, 0.4) for i in range(5)]
    lands += [
        Land("S1", 1.9, 3.1, 1.6, 1.4),
        Land("S2", 1.9, -3.1, 1.6, 1.4),
        Land("S3", -0.6, 3.3, 1.6, 1.8),
        Land("S4", -0.6, -3.3, 1.6, 1.8),
    ]
    silk = (((-1.6, 3.75), (-1.9, 3.75)), ((-1.6, -3.75), (-1.9, -3.75)))
    return Footprint(tuple(lands), (-3.0, -4.3, 3.2, 4.3), silk, (3.0, 2.0))


def _wire4() -> Footprint:
    lands = [Land(str(1 + i), -1.85, 1.5 - 1.0 * i, 1.5, 0.6) for i in range(4)]
    lands += [Land("M1", 1.6, 2.8, 1.8, 1.2), Land("M2", 1.6, -2.8, 1.8, 1.2)]
    silk = (((2.15, -1.9), (2.15, 1.9)),)
    return Footprint(tuple(lands), (-2.8, -3.6, 2.7, 3.6), silk, (-2.2, 2.15))


def _can63() -> Footprint:
    lands = (Land("1", -2.7, 0, 3.4, 1.6), Land("2", 2.7, 0, 3.4, 1.6))
    silk = (
        ((-2.4, 1.1), (-2.4, 3.4), (3.4, 3.4), (3.4, 1.1)),
        ((-2.4, -1.1), (-2.4, -3.4), (3.4, -3.4), (3.4, -1.1)),
        ((-4.3, 1.5), (-3.5, 1.5)),
        ((-3.9, 1.1), (-3.9, 1.9)),
    )
    return Footprint(lands, (-4.6, -3.6, 4.6, 3.6), silk)


def _holder12() -> Footprint:
    lands = (
        Land("1", -8.0, 0, 2.4, 4.6),
        Land(
            "2",
            0,
            0,
            5.0,
            5.0,
            round=True,
            paste=((-1.0, -1.0, 1.4, 1.4), (1.0, -1.0, 1.4, 1.4), (-1.0, 1.0, 1.4, 1.4), (1.0, 1.0, 1.4, 1.4)),
        ),
        Land("3", 8.0, 0, 2.4, 4.6),
    )
    silk = (
        ((-6.4, 6.4), (6.4, 6.4)),
        ((-6.4, -6.4), (6.4, -6.4)),
        ((-8.4, 2.9), (-7.6, 2.9)),
        ((-8.0, 2.5), (-8.0, 3.3)),
    )
    return Footprint(lands, (-9.4, -6.6, 9.4, 6.6), silk)


def _terminal() -> Footprint:
    lands = (Land("1", -2.54, 0, 2.4, 2.4, drill=1.3), Land("2", 2.54, 0, 2.4, 2.4, round=True, drill=1.3))
    return Footprint(lands, (-5.3, -4.3, 5.3, 4.3), (_box(-5.1, -4.1, 5.1, 4.1), ((-5.1, -2.9), (5.1, -2.9))))


def _reed() -> Footprint:
    lands = (Land("1", -9.5, 0, 1.7, 1.7, round=True, drill=0.8), Land("2", 9.5, 0, 1.7, 1.7, round=True, drill=0.8))
    return Footprint(
        lands, (-10.6, -1.3, 10.6, 1.3), (_box(-7.0, -1.1, 7.0, 1.1), ((-7, 0), (-8.4, 0)), ((7, 0), (8.4, 0)))
    )


def _header3() -> Footprint:
    lands = tuple(Land(str(n + 1), 0, 2.54 * (1 - n), 1.9, 1.9, round=n > 0, drill=1.0) for n in range(3))
    return Footprint(lands, (-1.6, -4.1, 1.6, 4.1), (_box(-1.4, -3.9, 1.4, 3.9), ((-1.4, 1.27), (1.4, 1.27))))


FOOTPRINTS: dict[str, Footprint] = {
    "0402 (1005)": _two(0.96, 0.56, 0.62, (1.8, 0.94)),
    "0603 (1608)": _two(1.60, 0.80, 0.95, (2.9, 1.46), silk=0.2),
    "0805 (2012)": _two(1.90, 1.00, 1.35, (3.4, 1.95), silk=0.25),
    "LED 0805": _two(1.90, 1.00, 1.25, (3.5, 1.95), silk=0.25, bar=True),
    "Header 1x3 2.54": _header3(),
    "LED 0603": _two(1.60, 0.80, 0.80, (3.1, 1.50), silk=0.2, bar=True),
    "SOD-323": _two(2.10, 0.60, 0.60, (3.2, 1.70), silk=0.6, bar=True),
    "SOD-123": _two(3.30, 0.90, 1.20, (4.7, 2.10), silk=0.9, bar=True),
    "Crystal 3215": _two(2.50, 1.00, 1.80, (4.0, 2.20)),
    "Inductor 4x4": _two(3.60, 1.20, 3.60, (5.2, 4.40), silk=1.0),
    "Choke 7x7": _two(6.20, 1.60, 4.00, (8.3, 7.80), silk=2.8),
    "QFN-32 5x5": _qfn32(),
    "SOT-23": _sot23(3),
    "SOT-23-5": _sot23(5),
    "SOIC-8": _soic8(),
    "USB receptacle": _usb(),
    "Sensor connector 4 x 1.0": _wire4(),
    "Electrolytic can 6.3": _can63(),
    "Coin holder 12": _holder12(),
    "Screw terminal 5.08": _terminal(),
    "Reed 14": _reed(),
    "Fiducial 1.0": Footprint((Land("1", 0, 0, 1.0, 1.0, round=True, paste=()),), (-1.0, -1.0, 1.0, 1.0)),
    "Test pad 1.0": Footprint((Land("1", 0, 0, 1.0, 1.0, round=True, paste=()),), (-0.6, -0.6, 0.6, 0.6)),
}
