"""What numbers of events may be when they come from outside: what hands can type here, by the names of their fields."""

from __future__ import annotations

from fusilex.core.printing.apertures import THICKEST_FOIL, THINNEST_FOIL
from fusilex.core.problems import BadInput
from fusilex.journal.entries import Entry

MOST_PIECES, MOST_PANELS, FAR_MM = 1_000_000, 1_000, 1e4
_PIECES, _MM, _PLACE, _CELSIUS = (0, MOST_PIECES), (0, FAR_MM), (-FAR_MM, FAR_MM), (-100, 1_000)
LIMITS: dict[str, tuple[float, float]] = {
    **dict.fromkeys(("after", "before", "count", "lost", "lots", "number", "pieces", "pockets", "most_bad"), _PIECES),
    **dict.fromkeys(("cut", "cell", "columns", "rows"), (0, 10_000)),
    "panel": (1, MOST_PANELS),
    "panels": (0, MOST_PANELS),
    "batch": (1, 1_000_000),
    "foil_mm": (THINNEST_FOIL, THICKEST_FOIL),
    "foil_um": (0, 1_000),
    **dict.fromkeys(("celsius", "air_c", "coldest_c", "inside_c", "off_c"), _CELSIUS),
    "humidity": (0, 100),
    "confidence": (0, 1),
    "ratio": (0, 1_000),
    "minutes": (0, 1e5),
    "seconds": (0, 1e6),
    "silent_h": (0, 1e6),
    **dict.fromkeys(("grams", "held_g", "removed_g"), (0, 1e5)),
    **dict.fromkeys(("mg", "predicted_mg", "mass_mg"), (0, 1e7)),
    **dict.fromkeys(("mm", "bore_mm", "height", "size_x", "size_y", "step_mm"), _MM),
    **dict.fromkeys(("x", "y", "x_mm", "y_mm", "dx", "dy", "dx_mm", "dy_mm"), _PLACE),
    "turn": (-360, 360),
    **dict.fromkeys(("ohm", "value"), (0, 1e12)),
    "pull_n": (0, 1e4),
    **dict.fromkeys(("bath_l", "litres", "dot_mm3"), (0, 1e3)),
    **dict.fromkeys(("time_s", "bound_s"), (0, 1e9)),
}


def check_bounds(entry: Entry, file: str) -> None:
    """Raises `BadInput` for a number that nobody could have typed."""
    event = entry.event
    for name in event.__struct_fields__ if event is not None else ():
        value = getattr(event, name)
        if name in LIMITS and isinstance(value, int | float) and not isinstance(value, bool):
            least, most = LIMITS[name]
            if not least <= value <= most:
                place = f"entry {entry.number}, {entry.kind}"
                raise BadInput(file, f"{name.replace('_', ' ')} from {least:g} to {most:g}", f"{value:g}", place)
