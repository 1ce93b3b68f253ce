"""Headless verbs: one function a verb, giving judgements, data and readable text from files or the journal."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from fusilex.bench.intake.design import read_design
from fusilex.bench.judge_ready import ready_findings
from fusilex.core.design.model import Design
from fusilex.core.electrical.probes import MAX_GAP_MM, judge_plan, probe_plan
from fusilex.core.judgement import Judgement, Level, worst_first
from fusilex.core.kit.quantities import in_placing_order, judge_values, look_alikes, pull_list
from fusilex.core.placing.order import hand_order
from fusilex.core.placing.points import named_point, on_panel
from fusilex.core.placing.references import fit_similarity, judge_references, one_each, suspect_point
from fusilex.core.printing.openings import Openings, openings_of
from fusilex.core.printing.paste import PASTES, judge_paste, paste_mass_mg
from fusilex.core.printing.release import judge_release, worst_parts
from fusilex.core.problems import BadInput
from fusilex.core.reflow.judge import judge_profile
from fusilex.core.reflow.profile import measure_log, window_index
from fusilex.core.reflow.windows import WINDOWS
from fusilex.formats.bundle import read_one
from fusilex.formats.lists.design_lists import read_points
from fusilex.formats.lists.temperature_log import read_log

PASTE_RULES = ("ready.layers", "ready.unread", "ready.twice", "ready.revision", "ready.panel", "ready.guessed")
"""Rules of Ready on which the openings stand or fall: what stops a batch there stops a stencil."""


@dataclass(frozen=True)
class Answer:
    """What a verb found out. `text` is for people, `data` (plain JSON) for scripts."""

    judgements: list[Judgement]
    data: dict[str, Any]
    text: str


def check(folder: str) -> Answer:
    """What each file is, the parts, and whether they belong together."""
    design = read_design(folder)
    findings, found = ready_findings(design)
    x0, y0, x1, y1 = design.outline.bounds
    data = {
        "size_mm": [round(x1 - x0, 3), round(y1 - y0, 3)],
        "files": [
            {
                "name": f.name,
                "role": f.role,
                "side": f.side,
                "because": f.because,
                "sure": f.sure,
                "revision": f.revision,
            }
            for f in design.files
        ],
        "parts": [
            {
                "ref": p.ref,
                "side": p.side,
                "x_mm": p.x,
                "y_mm": p.y,
                "rotation_deg": p.rotation_deg,
                "package": p.package.code,
                "value": p.value,
            }
            for p in design.parts
        ],
        "findings": [
            {"kind": f.kind, "ref": f.ref, "where": f.where, "text": f.text, "fix": f.fix.words if f.fix else None}
            for f in findings
        ],
    }
    lines = [f"{f.name:<34} {f.role:<10} {f.side or '':<7} {f.because}" for f in design.files]
    return Answer(
        found,
        data,
        "\n".join(
            [*lines, f"board {x1 - x0:.2f} × {y1 - y0:.2f} mm, {len(design.parts)} parts, {len(design.pads)} pads"]
        ),
    )


def kit(folder: str, boards: int) -> Answer:
    """Pull quantities with losses."""
    if not 1 <= boards <= 100_000:
        raise BadInput("--boards", "a number from 1 to 100000", str(boards))
    lines = in_placing_order(pull_list(read_design(folder), boards))
    data = {
        "lines": [
            {
                "value": x.value,
                "package": x.package.code,
                "per_board": x.per_board,
                "need": x.need,
                "pull": x.pull,
                "part_number": x.part_number,
                "refs": list(x.refs),
            }
            for x in lines
        ]
    }
    rows = [
        f"{n:>3}  {x.value:<16} {x.package.code:<26} {x.per_board:>3} a board  need {x.need:>5}  pull {x.pull:>5}  {', '.join(x.refs)}"
        for n, x in enumerate(lines, 1)
    ]
    return Answer(worst_first([*judge_values(lines), *look_alikes(lines)]), data, "\n".join(rows))


def openings(folder: str, foil: float, paste: str = "lead-free") -> Answer:
    """Every stencil opening with its ratios, and the paste mass of each side."""
    design = read_design(folder)
    rows: list[dict[str, Any]] = []
    masses: dict[str, float] = {}
    found: list[Judgement] = []
    text: list[str] = []
    for side in ("top", "bottom"):
        here = openings_of(design, side)
        if not len(here):
            masses[side] = 0.0
            continue
        try:
            rows += _opening_rows(here, foil)
        except ValueError as error:
            raise BadInput("--foil", "a thickness in mm", str(error)) from error
        masses[side] = round(paste_mass_mg(here, foil, PASTES[paste]), 3)
        found += judge_release(here, foil) + judge_paste(here, foil, PASTES[paste], 1)
        text += [
            f"{side:<7} {w.ref:<6} area ratio {w.area_ratio:.2f}  aspect {w.aspect_ratio:.2f}  {w.level}"
            for w in worst_parts(here, foil)
        ]
        text.append(f"{side:<7} paste {masses[side]:.1f} mg ({PASTES[paste].alloy}, {PASTES[paste].density:.2f} g/cm³)")
    data = {
        "openings": rows,
        "paste_mg": masses,
        "foil_mm": foil,
        "paste": paste,
        "density_g_per_cm3": round(PASTES[paste].density, 4),
    }
    found += [j for j in ready_findings(design)[1] if j.level in (Level.STOP, Level.UNKNOWN) and j.rule in PASTE_RULES]
    if not rows:
        text.append("no paste openings on either side")
        found.append(Judgement("print.release", Level.UNKNOWN, "paste", "No paste openings on either side"))
    return Answer(worst_first(found), data, "\n".join(text))


def _opening_rows(here: Openings, foil: float) -> list[dict[str, Any]]:
    area, aspect = here.area_ratio(foil), here.aspect_ratio(foil)
    return [
        {
            "part": here.refs[i] or None,
            "pad": here.pins[i] or None,
            "side": here.side,
            "x_mm": round(float(here.x[i]), 4),
            "y_mm": round(float(here.y[i]), 4),
            "area_mm2": round(float(here.area[i]), 6),
            "perimeter_mm": round(float(here.perimeter[i]), 6),
            "area_ratio": round(float(area[i]), 5),
            "aspect_ratio": round(float(aspect[i]), 5),
        }
        for i in range(len(here))
    ]


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
        "worst_part": None
        if worst is None
        else {
            "ref": labels[worst].partition(" ")[0],
            "cell": int(labels[worst].rpartition(" ")[2]) if on_panels else None,
            "error_mm": float(within[worst]),
            "standard_error_mm": float(fit.predicted_error(xy[worst])[0]),
        },
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
        f"{name}: index {index[name]:.0f}, peak {m.peak_c:.1f} °C, soak {m.soak_s:.0f} s, above {rule.melting:g} °C {m.above_melting_s:.0f} s, "
        f"heating {m.max_heating_c_per_s:.2f}, cooling {m.max_cooling_c_per_s:.2f} °C/s"
        for name, m in per_probe.items()
    ]
    return Answer(worst_first(judge_profile(per_probe, rule)), data, "\n".join(text))


def probes(folder: str, max_gap: float = MAX_GAP_MM) -> Answer:
    """Pairs of pads to probe, worst first."""
    design: Design = read_design(folder)
    try:
        plan = probe_plan(design, max_gap)
    except ValueError as error:
        raise BadInput("--max-gap", "a distance in mm", str(error)) from error
    data = {
        "pairs": [
            {
                "a": p.a.name,
                "b": p.b.name,
                "net_a": p.a.net,
                "net_b": p.b.net,
                "gap_mm": round(p.gap, 5),
                "also": list(p.also),
                "expected_ohm": round(p.expected, 4) if math.isfinite(p.expected) else None,
                "joined_below_ohm": round(p.limit, 4),
            }
            for p in plan
        ],
        "max_gap_mm": max_gap,
    }
    rows = [f"{p.a.name:<8} {p.b.name:<8} {p.gap:.3f} mm  {p.a.net} / {p.b.net}" for p in plan]
    return Answer(judge_plan(design, plan, max_gap), data, "\n".join(rows) or "no pair of pads to probe")


def papers(serial: str, journals: Sequence[str]) -> Answer:
    """A board's record, from the first journal that knows its serial."""
    from fusilex.bench.papers import board_record, page_text
    from fusilex.bench.session import Bench

    bench = find_board(serial, journals)
    if not isinstance(bench, Bench):
        raise BadInput("papers", "the serial of a board on record", f"“{serial}”")
    from fusilex.bench.judging import judgements

    bench.state.board = serial
    record = board_record(bench, serial)
    return Answer(judgements(bench, "Release"), record, page_text(record))


def find_board(serial: str, journals: Sequence[str]) -> object | None:
    """An open bench of the newest batch that has this board, or None."""
    from fusilex.bench.session import Bench
    from fusilex.journal.projection import project
    from fusilex.journal.store import Journal

    for url in journals:
        journal = Journal(url)
        for row in reversed(journal.batches()):
            if serial in project(journal.since(row.id)).boards:
                return Bench(journal, row.id)
    return None
