"""``python -m fusilex.demo``: route the demo designs and write their files again beside this module."""

from __future__ import annotations

from pathlib import Path

from fusilex.demo import oven_run
from fusilex.demo.copper import place_lands
from fusilex.demo.heron import HERON
from fusilex.demo.router import route
from fusilex.demo.wren import WREN
from fusilex.demo.write import write_design

if __name__ == "__main__":
    here = Path(__file__).parent
    for board in (HERON, WREN):
        write_design(here / board.prefix, board, route(board, place_lands(board.rows)))
    (here / HERON.prefix / "oven-run-1.csv").write_text(oven_run.run(), encoding="utf-8", newline="\n")
