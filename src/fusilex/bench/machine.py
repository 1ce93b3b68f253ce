"""The small machine: reference points taught on a panel, their fit, and the programme of the whole panel."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from fusilex.bench.commands import Refused
from fusilex.core.judgement import Because, Judgement, Level
from fusilex.core.placing.points import named_point, on_board, on_panel
from fusilex.core.placing.references import Similarity, fit_similarity, judge_references, one_each, suspect_point
from fusilex.formats.written.programme import Step

if TYPE_CHECKING:
    from fusilex.bench.session import Bench

LEAST_POINTS = 3


def point_at(bench: Bench, name: str) -> tuple[float, float]:
    """Where a point lies on the panel by design (mm). Raises `Refused` when there is no such point."""
    try:
        return named_point(bench.design, bench.panel, name)
    except KeyError:
        example = bench.panel.fiducials[0][0] if bench.panel.fiducials else "P1"
        raise Refused(
            f"There is no point {name}: name a panel fiducial such as {example}, or a part and cell such as U1@2."
        ) from None


def taught(bench: Bench, panel: int) -> tuple[list[str], NDArray[np.float64], NDArray[np.float64]]:
    """Names, design positions and measured positions (n × 2, mm) of the points taught on a panel, each place once."""
    points = bench.state.taught.get(panel, {})
    return one_each(list(points), [point_at(bench, name) for name in points], list(points.values()))


def fit(bench: Bench, panel: int) -> Similarity | None:
    """Transform from panel to machine, None with fewer than three points or points that coincide."""
    names, design, measured = taught(bench, panel)
    if len(names) < LEAST_POINTS:
        return None
    try:
        return fit_similarity(design, measured)
    except ValueError:
        return None


def programme(bench: Bench, panel: int) -> list[Step]:
    """Every placement still to do on a panel in the machine's frame, cell by cell within each part. Raises `Refused`."""
    transform = fit(bench, panel)
    if transform is None:
        raise Refused(f"Teach at least {LEAST_POINTS} points of panel {panel} first.")
    boards = {b.cell: b for b in bench.state.panel_boards(panel) if not b.scrapped}
    steps = []
    for part in bench.placing_order:
        stepped = transform.apply(bench.panel.step(on_board(bench.design, [part]))[:, 0])
        for cell, (x, y) in enumerate(stepped):
            if cell in boards and part.ref not in boards[cell].placed:
                steps.append(
                    Step(
                        cell + 1,
                        part.ref,
                        float(x),
                        float(y),
                        part.rotation_deg + bench.panel.turn(cell) + transform.rotation_deg,
                        part.package.height,
                        bench.bin_number[bench.line_of[part.ref].key],
                        part.value,
                        part.package.code,
                    )
                )
    return steps


def judge_machine(bench: Bench, panel: int) -> list[Judgement]:
    """How good the taught points of a panel are."""
    names, design, measured = taught(bench, panel)
    if not names:
        return []
    transform = fit(bench, panel)
    if transform is None:
        return [
            Judgement(
                "place.points",
                Level.UNKNOWN,
                f"panel {panel}",
                f"{len(names)} of {LEAST_POINTS} points taught",
                (Because("points", len(names)),),
                "Teach points far apart, at best in three corners.",
            )
        ]
    labels, places = on_panel(bench.design, bench.panel, bench.placing_order)
    return judge_references(transform, names, labels, places, suspect_point(design, measured))
