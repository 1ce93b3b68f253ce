"""Speed of the stencil's judgements with a panel of some two thousand placements, and memory over a thousand nudges."""

from __future__ import annotations

import json
import resource
import sys
from collections.abc import Callable
from pathlib import Path

import numpy as np
from big_board import big_board
from measured import scaled

from fusilex.bench.intake.design import design_from
from fusilex.core.printing.alignment import EYES, lies
from fusilex.core.printing.apertures import apertures_of
from fusilex.core.printing.landing import judge_landing, landed, lands_of
from fusilex.core.printing.looks import fine_enough, telling_places
from fusilex.core.printing.reduce import reductions
from fusilex.core.printing.release import worst_parts
from fusilex.core.printing.risks import changed, ground_of, judge_missing, judge_risks, judge_windows, risks
from fusilex.formats.bundle import read_files

ROOT = Path(__file__).parents[1]


def median_ms(action: Callable[[], object], times: int = 9) -> float:
    return 1000 * scaled(action, times)


def rows() -> list[tuple[str, str, str]]:
    files = big_board(read_files(ROOT / "src/fusilex/demo/heron-r2"), 7, 7)
    design = design_from(files, "large")
    x0, y0, x1, y1 = design.outline.bounds
    middle = ((x0 + x1) / 2, (y0 + y1) / 2)
    apertures = apertures_of(design, "top")
    lands = lands_of(apertures, design.pads)
    ground = ground_of(lands)

    def analysed() -> None:
        whole = ground_of(lands_of(apertures_of(design, "top"), design.pads))
        found = risks(whole, 0.12, 4)
        judge_risks(found, 4)
        judge_missing(whole.lands, design.parts)
        judge_windows(whole.lands)
        worst_parts(whole.lands.apertures, 0.12)

    at = np.column_stack([apertures.x, apertures.y])[fine_enough(apertures.width)]
    at = at[telling_places(at, 2)]

    def nudged(n: int) -> None:
        judge_landing(landed(lands, lies(at, [(0.01 * (n % 13), 0.02), (0.05, -0.01 * (n % 7))], middle, EYES)))

    def tried(n: int) -> None:
        changed(risks(ground, 0.12, 4), risks(ground, 0.08 + 0.01 * (n % 12), 4))

    count = iter(range(10_000))
    nudge, what_if = median_ms(lambda: nudged(next(count)), 25), median_ms(lambda: tried(next(count)), 25)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    for n in range(1_000):
        nudged(n)
    more = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024
    return [
        (
            f"analysing {len(apertures):,} openings of {len(design.parts):,} parts",
            f"{median_ms(analysed, 5):.0f} ms",
            "≤ 300 ms",
        ),
        ("judging them anew for a nudge of the foil", f"{nudge:.0f} ms", "≤ 50 ms"),
        ("what another foil would change", f"{what_if:.0f} ms", "≤ 50 ms"),
        ("suggesting better openings for them", f"{median_ms(lambda: reductions(ground, 0.12), 3):.0f} ms", "–"),
        ("memory that 1,000 nudges take", f"{more:.0f} MB", "flat"),
    ]


if __name__ == "__main__":
    json.dump(rows(), sys.stdout)
