"""Verbs that judge what was measured: refs, profile."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from fusilex.bench.intake.design import read_design
from fusilex.bench.verbs.answer import Answer
from fusilex.bench.verbs.windows import window_by
from fusilex.core.design.model import Design
from fusilex.core.judgement import Judgement, worst_first
from fusilex.core.placing.affine import Affine, best_fit, odd_one
from fusilex.core.placing.order import hand_order
from fusilex.core.placing.points import named_point, on_panel
from fusilex.core.placing.references import error_within, judge_references, step_read
from fusilex.core.placing.suggest import Candidate, corners_of, to_teach
from fusilex.core.problems import BadInput
from fusilex.core.quantities import CELSIUS, RATE, write, write_celsius, write_length, write_point
from fusilex.core.reflow.judge import judge_profile
from fusilex.core.reflow.metrics import window_index
from fusilex.core.reflow.profile import measure_log, silent_probes
from fusilex.core.similarity import FALSE_ALARM, one_each
from fusilex.formats.bundle import read_one
from fusilex.formats.lists.design_lists import read_points
from fusilex.formats.lists.temperature_log import read_log


def refs(folder: str, points: str | None, suggest: int | None = None, hidden: str = "") -> Answer:
    """Transform from the design to the measured points, and the error to expect at the worst part; with `suggest` which
    points to teach, `hidden` ones left out.
    """
    design = read_design(folder)
    taught = read_points(read_one(Path(points)), Path(points).name) if points else []
    if not points and suggest is None:
        raise BadInput("refs", "a list of measured points, or --suggest N", "neither")
    field = _Field(design, [name for name, _, _ in taught])
    data: dict[str, Any] = {}
    text: list[str] = []
    judgements: list[Judgement] = []
    if points:
        judgements, data, text = _fitted(field, taught, Path(points).name)
    if suggest is not None:
        chosen, error = field.suggested(suggest, {word.strip().upper() for word in hidden.split(",")})
        data["suggested"] = [{"point": c.name, "x_mm": c.x, "y_mm": c.y, "seen_mm": c.seen_mm} for c in chosen]
        data["suggested_error_mm"] = error
        text += [f"teach {c.name:<8} at {write_point(c.x, c.y, 3)}" for c in chosen]
        text.append(f"standard error at the worst part {write_length(error, 4)}")
    return Answer(worst_first(judgements), data, "\n".join(text))


class _Field:
    """Where parts and points of a design lie: on its panel where its points are named so, else on one board."""

    def __init__(self, design: Design, names: list[str]) -> None:
        fiducials = {name.lower() for name, *_ in design.panel.fiducials} if design.panel else set()
        on_panel_points = not names or any("@" in n or n.lower() in fiducials for n in names)
        parts = hand_order(design) or hand_order(design, "bottom")
        self.panel = design.panel if on_panel_points else None
        if self.panel is not None:  # taught by the panel's own fiducials, or parts of its cells
            panel = self.panel
            self.labels, self.xy = on_panel(design, panel, parts)
            self.where: Callable[[str], tuple[float, float]] = partial(named_point, design, panel)
            self.points = [Candidate(name, x, y) for name, x, y in panel.fiducials]
        else:
            known = {p.ref: (p.x, p.y) for p in design.placements}
            self.labels, self.xy = [p.ref for p in parts], np.array([[p.x, p.y] for p in parts]).reshape(-1, 2)
            self.where = known.__getitem__
            marks = [p for p in design.parts if p.package.family == "fiducial"]
            self.points = [Candidate(p.ref, p.x, p.y) for p in marks]

    def suggested(self, count: int, hidden: set[str]) -> tuple[list[Candidate], float]:
        """The best points to teach. Raises `BadInput`."""
        if not len(self.xy):
            raise BadInput("refs", "parts on paste to be placed", "none")
        corners = corners_of([label.replace(" in cell ", "@") for label in self.labels], self.xy)
        marks, corners = ([c for c in own if c.name.upper() not in hidden] for own in (self.points, corners))
        try:
            return to_teach(marks, corners, self.xy, count)
        except ValueError as problem:
            raise BadInput("--suggest", "a number of points that there are", str(problem)) from problem


def _fitted(
    field: _Field, taught: list[tuple[str, float, float]], file: str
) -> tuple[list[Judgement], dict[str, Any], list[str]]:
    try:
        design_xy = [field.where(n) for n, _, _ in taught]
    except KeyError as error:
        raise BadInput(file, "references or fiducials of the design", f"“{error.args[0]}”") from error
    names, a, b = one_each([n for n, _, _ in taught], design_xy, [[x, y] for _, x, y in taught])
    if len(names) < 2:
        raise BadInput(file, "at least two points in different places", str(len(names)))
    try:
        fit = best_fit(a, b)
    except ValueError as error:
        raise BadInput(file, "points far apart", str(error)) from error
    labels, xy = field.labels, field.xy
    step = step_read([[x, y] for _, x, y in taught])
    within = error_within(fit, xy, step)
    worst = int(np.argmax(within)) if len(within) else None
    suspect = odd_one(a, b)
    affine = isinstance(fit, Affine)
    transform = {"dx_mm": fit.dx, "dy_mm": fit.dy, "rotation_deg": fit.rotation_deg, "scale": fit.scale}
    if isinstance(fit, Affine):
        transform |= {"scale_x": fit.stretch[0], "scale_y": fit.stretch[1], "shear_deg": fit.shear_deg}
    data = {
        "kind": "affine" if affine else "similarity",
        "transform": transform,
        "points": names,
        "residuals_mm": [float(r) for r in fit.residual_mm],
        "rms_mm": fit.rms_mm,
        "read_step_mm": step,
        "within95_mm": None if worst is None else float(within[worst]),
        "worst_part": (
            None
            if worst is None
            else {
                "ref": labels[worst].partition(" ")[0],
                "cell": int(labels[worst].rpartition(" ")[2]) if field.panel is not None else None,
                "error_mm": float(within[worst]),
                "standard_error_mm": float(fit.predicted_error(xy[worst])[0]),
            }
        ),
        "suspect": names[suspect] if suspect is not None else None,
        "false_alarm": FALSE_ALARM,
    }
    text = [f"shift {write_point(fit.dx, fit.dy, 4)}, turn {fit.rotation_deg:.4f}°, scale {fit.scale:.6f}"]
    if isinstance(fit, Affine):
        text.append(f"scale along x {fit.stretch[0]:.6f}, y {fit.stretch[1]:.6f}, shear {fit.shear_deg:.4f}°")
    text += [f"{n:<8} residual {write_length(r, 4)}" for n, r in zip(names, fit.residual_mm, strict=True)]
    if worst is not None:
        text.append(f"worst part {labels[worst]}: 95 % stay under {write_length(within[worst], 4)}")
    return judge_references(fit, names, labels, xy, suspect, step), data, text


def profile(log: str, window: str) -> Answer:
    """Metrics of an oven run; of several probes the one with the worst index stands in `metrics`."""
    read = read_log(read_one(Path(log)), Path(log).name)
    rule = window_by(window)
    per_probe = measure_log(read.time_s, read.probes_c, rule)
    silent = silent_probes(read.probes_c, per_probe, read.silent)
    index = {name: window_index(m, rule) for name, m in per_probe.items()}
    worst = max(index, key=lambda name: index[name])

    def shown(name: str) -> dict[str, Any]:
        return {
            **per_probe[name].as_dict(),
            "window_index": round(index[name], 4) if math.isfinite(index[name]) else None,
        }

    data = {
        "window": window,
        "metrics": shown(worst),
        "worst_probe": worst,
        "probes": {name: shown(name) for name in per_probe},
        "unknown": [
            {"probe": name, "metric": metric, "least": _number(d.low), "most": _number(d.high), "why": d.words}
            for name, m in per_probe.items()
            for metric, d in m.doubts.items()
        ],
        "silent_probes": silent,
    }
    text = [
        f"{name}: index {index[name]:.0f}, peak {write_celsius(m.peak_c, 1)}, soak {m.soak_s:.0f} s,"
        f" above {write(rule.melting, CELSIUS, 4)}"
        f" {m.above_melting_s:.0f} s, heating {write(m.max_heating_c_per_s, RATE)},"
        f" cooling {write(m.max_cooling_c_per_s, RATE)}"
        for name, m in per_probe.items()
    ]
    return Answer(worst_first(judge_profile(per_probe, rule, silent)), data, "\n".join(text))


def _number(value: float) -> float | None:
    return value if math.isfinite(value) else None
