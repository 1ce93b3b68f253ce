"""Verbs of the stencil: align, jar, dots, weighed."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import numpy as np

from fusilex.bench.intake.design import read_design
from fusilex.bench.verbs.answer import Answer
from fusilex.bench.verbs.paste_layers import sheet_of
from fusilex.core.design.model import Design
from fusilex.core.evidence import GRADES, Level
from fusilex.core.judgement import Judgement, worst_first
from fusilex.core.measuring.resolution import step_of
from fusilex.core.printing.alignment import EYES, judge_looks, lies, moves
from fusilex.core.printing.apertures import FOIL_MM, Apertures, apertures_of
from fusilex.core.printing.dots import dot_volume as volume_of
from fusilex.core.printing.dots import judge_dots, judge_needle, plan_dots
from fusilex.core.printing.landing import judge_landing, landed, lands_of
from fusilex.core.printing.paste import paste_mass_mg
from fusilex.core.printing.weighing import FINEST_MG, judge_weights, measured_transfer, ratios_of, run_chart
from fusilex.core.problems import BadInput
from fusilex.core.quantities import write_celsius, write_length, write_point
from fusilex.core.wet_paste import jar as jars
from fusilex.core.wet_paste.air import dew_point, judge_room
from fusilex.core.wording import say
from fusilex.formats.bundle import read_one
from fusilex.formats.lists.measured import read_looks, read_weights
from fusilex.formats.lists.temperature_log import read_log

BESIDE_MM = 20.0
"""Rails and frames: somebody may look so far beside the board."""
USUAL_ROOM, USUAL_FOIL = (22.0, None), 0.12


def _apertures(design: Design, side: str, foil: float) -> Apertures:
    """Apertures of a side, of which there are some, and a foil they can be cut from. Raises `BadInput`."""
    found = apertures_of(design, side)
    if not len(found):
        raise BadInput(f"The {side} side", "paste openings", "none")
    try:
        found.area_ratio(foil)
    except ValueError as error:
        raise BadInput("--foil", FOIL_MM, f"{foil:g} mm") from error
    return found


def align(folder: str, seen: str, foil: float, side: str = "top", hinge: str = "top") -> Answer:
    """How the foil lies by what was seen, what to move, and where paste would land. Places are the design's, seen from
    the top, on either side.
    """
    design = read_design(folder)
    apertures = _apertures(design, side, foil)
    name = Path(seen).name
    at, off, step = read_looks(read_one(Path(seen)), name)
    x0, y0, x1, y1 = design.outline.bounds
    for n, (x, y) in enumerate(at.tolist(), 1):
        if not (x0 - BESIDE_MM <= x <= x1 + BESIDE_MM and y0 - BESIDE_MM <= y <= y1 + BESIDE_MM):
            raise BadInput(
                name,
                f"places on the board, x {x0:g} to {x1:g}, y {y0:g} to {y1:g} mm",
                f"{x:g}, {y:g}",
                f"look {n}",
            )
    try:
        found = lies(at, off, ((x0 + x1) / 2, (y0 + y1) / 2), EYES, step)
    except ValueError as error:
        raise BadInput(name, "looks at two places far apart", str(error)) from error
    made = landed(lands_of(apertures, design.pads), found)
    todo = moves(found, (x0, y0, x1, y1), hinge)
    worst = made.worst
    data = {
        "side": side,
        "hinge": hinge,
        "transform": {
            "dx_mm": found.dx,
            "dy_mm": found.dy,
            "rotation_deg": found.rotation_deg,
            "stretch": found.stretch,
        },
        "within95": found.within95,
        "residuals_mm": [float(r) for r in found.fit.residual_mm],
        "moves": [
            {
                "where": m.where,
                "at_x_mm": m.at[0],
                "at_y_mm": m.at[1],
                "x_mm": m.x,
                "y_mm": m.y,
                "along_tape_mm": m.tape,
            }
            for m in todo
        ],
        "openings": [
            {
                "part": apertures.refs[i] or None,
                "pad": apertures.pins[i] or None,
                "x_mm": round(float(apertures.x[i]), 4),
                "y_mm": round(float(apertures.y[i]), 4),
                "on_pad": _finite(made.on_pad[i]),
                "gap_mm": _finite(made.gap[i]),
                "level": GRADES[made.levels[i]].value,
            }
            for i in range(len(apertures))
        ],
        "worst": None if worst is None else apertures.refs[worst] or None,
    }
    within = found.within95
    text = [
        f"shift {write_point(found.dx, found.dy, 3)} ± {write_point(within['dx_mm'], within['dy_mm'], 3)} in the"
        f" middle, turn {found.rotation_deg:.3f} ± {within['rotation_deg']:.3f}°, stretch {100 * found.stretch:.3f} %",
        *(f"move the {m.words}" for m in todo),
        "Along the tape means lifting it and laying it anew.",
    ]
    return Answer(worst_first([*judge_looks(found), *judge_landing(made)]), data, "\n".join(text))


def jar(temperatures: str, paste: str, room: str | None = None) -> Answer:
    """Life used by the temperatures a jar lived at, and how long it has to warm up. The log is of the air around the
    jar; what is inside follows with a lag of an hour.
    """
    sheet = sheet_of(paste)
    name = Path(temperatures).name
    log = read_log(read_one(Path(temperatures)), name, least=2)
    probe, celsius = next(iter(log.probes_c.items()))
    known = np.isfinite(celsius)
    hours, air = log.time_s[known] / 3600, celsius[known]
    room_c, humidity = _room(room) if room else USUAL_ROOM
    life = jars.life_used(hours, air, sheet.life)
    silent = jars.gaps(hours)
    now = jars.inside_now(hours, air)
    coldest = float(air.min())
    state = jars.JarState(name, paste, life, now, 0.0, unknown_h=sum(b - a for a, b in silent), coldest_c=coldest)
    wait = jars.warm_up_min(now, room_c, humidity)
    dew = None if humidity is None else dew_point(room_c, humidity)
    data = {
        "paste": paste,
        "probe": probe,
        "hours": float(hours[-1] - hours[0]),
        "life_used": life,
        "jar_c": now,
        "room_c": room_c,
        "humidity": humidity,
        "room_assumed": room is None,
        "warm_up_min": wait if math.isfinite(wait) else None,
        "dew_point_c": dew,
        "gaps_h": [[a, b] for a, b in silent],
    }
    text = f"{100 * life:.2f} % of its life used, {write_celsius(now, 1)} inside, {wait:.0f} min until it may be opened"
    judged = jars.judge_jar(state, room_c, humidity, room_said=room is not None)
    if room:
        judged += judge_room(room_c, humidity)
    else:
        do = say("give room")
        missing = ("room temperature", "room humidity")
        judged.append(Judgement("print.room", Level.UNKNOWN, "room", say("no room data"), (), do, (), missing))
    return Answer(worst_first(judged), data, text)


def _room(text: str) -> tuple[float, float | None]:
    """``22,45`` as °C and %. Raises `BadInput`."""
    try:
        celsius, humidity = (float(part) for part in text.replace(";", ",").split(","))
        dew_point(celsius, humidity)
    except ValueError as error:
        raise BadInput("--room", "temperature and humidity, such as 22,45", text) from error
    return celsius, humidity


def dots(folder: str, needle: float, paste: str = "lead-free", foil: float = USUAL_FOIL) -> Answer:
    """Dots on every pad in place of a stencil's volume, and a short way over them."""
    sheet, design = sheet_of(paste), read_design(folder)
    try:
        dot = volume_of(needle)
    except ValueError as error:
        raise BadInput("--needle", "a bore in mm", str(error)) from error
    judged = [judge_needle(needle, sheet.powder or None)]
    pads: list[dict[str, Any]] = []
    way = bound = seconds = 0.0
    for side in ("top", "bottom"):
        apertures = apertures_of(design, side)
        if not len(apertures):
            continue
        plan = plan_dots(_apertures(design, side, foil), foil, dot)
        judged += judge_dots(plan)
        pads += [
            {
                "part": plan.names[i][0] or None,
                "pad": plan.names[i][1] or None,
                "side": side,
                "x_mm": round(float(plan.at[i, 0]), 4),
                "y_mm": round(float(plan.at[i, 1]), 4),
                "volume_mm3": float(plan.volume[i]),
                "dots": int(plan.dots[i]),
            }
            for i in plan.order.tolist()
        ]
        way, bound, seconds = way + plan.path_mm, bound + plan.bound_mm, seconds + plan.seconds
    if not pads:
        raise BadInput("The design", "paste openings on a side", "none")
    data = {
        "needle_mm": needle,
        "foil_mm": foil,
        "dot_mm3": dot,
        "pads": pads,
        "path_mm": way,
        "path_bound_mm": bound,
        "minutes": seconds / 60,
    }
    dots = sum(p["dots"] for p in pads)
    text = f"{dots} dots on {len(pads)} pads, way {write_length(way, 0)}, none under {write_length(bound, 0)}"
    return Answer(worst_first(judged), data, text)


def weighed(folder: str, weights: str, foil: float, paste: str = "lead-free") -> Answer:
    """Prints on the scale against what the apertures predict: of the whole panel where the design has one."""
    sheet, design = sheet_of(paste).paste, read_design(folder)
    apertures = _apertures(design, "top" if len(apertures_of(design, "top")) else "bottom", foil)
    boards = len(design.panel.cells) if design.panel else 1
    predicted = paste_mass_mg(apertures, foil, sheet) * boards
    name = Path(weights).name
    read = read_weights(read_one(Path(weights)), name)
    measured = 1000 * (read.after_g - read.before_g)
    step = step_of(np.round(measured, 3), FINEST_MG)
    found = measured_transfer(measured, predicted, apertures, foil, step)
    chart = run_chart(ratios_of(measured, predicted), step=step / predicted)
    data = {
        "side": apertures.side,
        "boards": boards,
        "predicted_mg": predicted,
        "transfer": found.factor,
        "transfer_within95": _finite(found.within95),
        "middle": _finite(found.middle),
        "middle_within95": _finite(found.middle_within95),
        "prints": [
            {"print": label, "measured_mg": float(m), "score": _finite(s), "mean": _finite(z), "limit": _finite(k)}
            for label, m, s, z, k in zip(read.names, measured, chart.score, chart.mean, chart.limit, strict=True)
        ],
        "alarms": [{"print": read.names[a.index], "why": a.why} for a in chart.alarms],
    }
    spread = f" ± {found.within95:.3f}" if math.isfinite(found.within95) else ""
    text = [f"predicted {predicted:.1f} mg a print, measured over predicted {found.factor:.3f}{spread}"]
    text += [f"print {read.names[a.index]}: {a.why}" for a in chart.alarms]
    return Answer(worst_first(judge_weights(chart, found, predicted)), data, "\n".join(text))


def _finite(value: float) -> float | None:
    return float(value) if math.isfinite(value) else None
