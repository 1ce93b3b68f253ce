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
from fusilex.core.judgement import worst_first
from fusilex.core.placing.order import hand_order
from fusilex.core.placing.points import named_point, on_panel
from fusilex.core.placing.references import judge_references
from fusilex.core.problems import BadInput
from fusilex.core.reflow.judge import judge_profile
from fusilex.core.reflow.metrics import window_index
from fusilex.core.reflow.profile import measure_log
from fusilex.core.reflow.windows import WINDOWS
from fusilex.core.similarity import fit_similarity, one_each, suspect_point
from fusilex.formats.bundle import read_one
from fusilex.formats.lists.design_lists import read_points
from fusilex.formats.lists.temperature_log import read_log


def refs(folder: str, points: str) -> Answer:
    """Transform from the design to the measured points, and the error to expect at the worst part."""
    design = read_design(folder)
    taught = read_points(read_one(Path(points)), Path(points).name)
    fiducials = {name.lower() for name, *_ in design.panel.fiducials} if design.panel else set()
    on_panels = design.panel is not None and any("@" in n or n.lower() in fiducials for n, _, _ in taught)
    parts = hand_order(design) or hand_order(design, "bottom")
    if on_panels and design.panel is not None:  # taught by the panel's own fiducials, or parts of its cells
        panel = design.panel
        labels, xy = on_panel(design, panel, parts)
        where: Callable[[str], tuple[float, float]] = partial(named_point, design, panel)
    else:
        known = {p.ref: (p.x, p.y) for p in design.placements}
        labels, xy = [p.ref for p in parts], np.array([[p.x, p.y] for p in parts]).reshape(-1, 2)
        where = known.__getitem__
    try:
        design_xy = [where(n) for n, _, _ in taught]
    except KeyError as error:
        raise BadInput(Path(points).name, "references or fiducials of the design", f"“{error.args[0]}”") from error
    names, a, b = one_each([n for n, _, _ in taught], design_xy, [[x, y] for _, x, y in taught])
    if len(names) < 3:
        raise BadInput(Path(points).name, "at least three points in different places", str(len(names)))
    try:
        fit = fit_similarity(a, b)
    except ValueError as error:
        raise BadInput(Path(points).name, "points far apart", str(error)) from error
    within = fit.error_within(xy)
    worst = int(np.argmax(within)) if len(within) else None
    suspect = suspect_point(a, b)
    data = {
        "transform": {"dx_mm": fit.dx, "dy_mm": fit.dy, "rotation_deg": fit.rotation_deg, "scale": fit.scale},
        "points": names,
        "residuals_mm": [float(r) for r in fit.residual_mm],
        "rms_mm": fit.rms_mm,
        "worst_part": (
            None
            if worst is None
            else {
                "ref": labels[worst].partition(" ")[0],
                "cell": int(labels[worst].rpartition(" ")[2]) if on_panels else None,
                "error_mm": float(within[worst]),
                "standard_error_mm": float(fit.predicted_error(xy[worst])[0]),
            }
        ),
        "suspect": names[suspect] if suspect is not None else None,
    }
    text = [f"shift {fit.dx:.4f} {fit.dy:.4f} mm, turn {fit.rotation_deg:.4f}°, scale {fit.scale:.6f}"]
    text += [f"{n:<8} residual {r:.4f} mm" for n, r in zip(names, fit.residual_mm, strict=True)]
    if worst is not None:
        text.append(f"worst part {labels[worst]}: 95 % stay under {within[worst]:.4f} mm")
    return Answer(worst_first(judge_references(fit, names, labels, xy, suspect)), data, "\n".join(text))


def profile(log: str, window: str) -> Answer:
    """Metrics of an oven run; of several probes the one with the worst index stands in `metrics`."""
    read = read_log(read_one(Path(log)), Path(log).name)
    rule = WINDOWS[window]
    per_probe = measure_log(read.time_s, read.probes_c, rule)
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
        "silent_probes": [name for name in read.probes_c if name not in per_probe] + list(read.silent),
    }
    text = [
        f"{name}: index {index[name]:.0f}, peak {m.peak_c:.1f} °C, soak {m.soak_s:.0f} s, above {rule.melting:g} °C"
        f" {m.above_melting_s:.0f} s, heating {m.max_heating_c_per_s:.2f}, cooling {m.max_cooling_c_per_s:.2f} °C/s"
        for name, m in per_probe.items()
    ]
    return Answer(worst_first(judge_profile(per_probe, rule)), data, "\n".join(text))
