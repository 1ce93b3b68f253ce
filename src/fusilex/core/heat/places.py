"""Where panels lie on a tray when several go in at once."""

from __future__ import annotations

from math import ceil

GAP_MM = 10.0
"""Between panels, so that air comes past their edges."""


def places(count: int, size: tuple[float, float], tray: tuple[float, float]) -> list[tuple[float, float]]:
    """Middles of so many panels (mm from the middle of the tray, right and back), in rows as square as they go, front
    row first. Raises ValueError where they have no room.

    >>> places(2, (100.0, 60.0), (260.0, 210.0))
    [(0.0, -35.0), (0.0, 35.0)]
    """
    wide, deep = size[0] + GAP_MM, size[1] + GAP_MM
    room = int((tray[0] + GAP_MM) // wide), int((tray[1] + GAP_MM) // deep)
    fits = [(columns, ceil(count / columns)) for columns in range(1, room[0] + 1)]
    fits = [f for f in fits if f[1] <= room[1] and f[0] <= count]
    if not fits:
        many = "1 panel has" if count == 1 else f"{count} panels have"
        raise ValueError(f"{many} no room on a tray of {tray[0]:g} × {tray[1]:g} mm; {room[0] * room[1]} would")
    columns, rows = min(fits, key=lambda f: max(f[0] * wide, f[1] * deep))
    found = []
    for n in range(count):
        row, column = divmod(n, columns)
        own = min(columns, count - row * columns)
        found.append(((column - (own - 1) / 2) * wide, (row - (rows - 1) / 2) * deep))
    return found
