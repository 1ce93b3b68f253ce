"""``python -m fusilex.demo``: route Heron R2 and write its files again beside this module."""

from __future__ import annotations

from pathlib import Path

from fusilex.demo.copper import place_lands
from fusilex.demo.heron import TRACK_WIDTHS, parts
from fusilex.demo.router import route
from fusilex.demo.write import write_design

if __name__ == "__main__":
    rows = parts()
    write_design(Path(__file__).parent / "heron-r2", rows, route(place_lands(rows), TRACK_WIDTHS))
