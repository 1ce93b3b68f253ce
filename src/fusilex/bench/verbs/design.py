"""Verbs that read a design's files: check, kit, apertures, cuts."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from fusilex.bench.intake.design import read_design
from fusilex.bench.stations.ready.judging import ready_findings
from fusilex.bench.verbs.answer import Answer
from fusilex.bench.verbs.paste_layers import judge_apertures, sheet_of, write_reduced
from fusilex.core.checks.repeat import find_panel
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement, worst_first
from fusilex.core.kit.quantities import in_placing_order, judge_values, look_alikes, pull_list
from fusilex.core.panel.layout import single
from fusilex.core.panel.separating import judge_cuts, plan_cuts
from fusilex.core.printing.apertures import FOIL_MM, Apertures, apertures_of
from fusilex.core.printing.paste import PASTES, judge_paste, paste_mass_mg
from fusilex.core.printing.release import judge_release, worst_parts
from fusilex.core.problems import BadInput
from fusilex.core.quantities import write_point, write_size
from fusilex.core.wording import say

PASTE_RULES = ("ready.layers", "ready.unread", "ready.twice", "ready.revision", "ready.panel", "ready.guessed")
"""Rules of Ready on which the apertures stand or fall: what stops a batch there stops a stencil."""


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
            [*lines, f"board {write_size(x1 - x0, y1 - y0, 4)}, {len(design.parts)} parts, {len(design.pads)} pads"]
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
        f"{n:>3}  {x.value:<16} {x.package.code:<26} {x.per_board:>3} a board  need {x.need:>5}  pull {x.pull:>5} "
        f" {', '.join(x.refs)}"
        for n, x in enumerate(lines, 1)
    ]
    return Answer(worst_first([*judge_values(lines), *look_alikes(lines)]), data, "\n".join(rows))


def apertures(
    folder: str, foil: float, paste: str = "lead-free", coated: bool = False, reduced: str | None = None
) -> Answer:
    """Every stencil aperture with its ratios, and the paste mass of each side; better ones are written to `reduced`."""
    design = read_design(folder)
    rows: list[dict[str, Any]] = []
    masses: dict[str, float] = {}
    found: list[Judgement] = []
    text: list[str] = []
    for side in ("top", "bottom"):
        here = apertures_of(design, side)
        if not len(here):
            masses[side] = 0.0
            continue
        try:
            rows += _aperture_rows(here, foil)
        except ValueError as error:
            raise BadInput("--foil", FOIL_MM, f"{foil:g} mm") from error
        masses[side] = round(paste_mass_mg(here, foil, PASTES[paste]), 3)
        found += judge_release(here, foil, coated) + judge_paste(here, foil, PASTES[paste], 1)
        found += judge_apertures(design, here, foil, sheet_of(paste).powder or None, coated)
        text += [
            f"{side:<7} {w.ref:<6} area ratio {w.area_ratio:.2f}  aspect {w.aspect_ratio:.2f}  {w.level}"
            for w in worst_parts(here, foil, coated)
        ]
        text.append(f"{side:<7} paste {masses[side]:.1f} mg ({PASTES[paste].alloy}, {PASTES[paste].density:.2f} g/cm³)")
    data = {
        "openings": rows,
        "paste_mg": masses,
        "foil_mm": foil,
        "coated": coated,
        "paste": paste,
        "density_g_per_cm3": round(PASTES[paste].density, 4),
    }
    found += [j for j in ready_findings(design)[1] if j.level in (Level.STOP, Level.UNKNOWN) and j.rule in PASTE_RULES]
    if reduced:
        written = write_reduced(design, foil, Path(reduced))
        data |= written
        text.append(f"written: {', '.join(written['files'])}")
    if not rows:
        text.append("no paste openings on either side")
        found.append(Judgement("print.release", Level.UNKNOWN, "paste", say("no paste"), missing=("a paste layer",)))
    return Answer(worst_first(found), data, "\n".join(text))


def _aperture_rows(here: Apertures, foil: float) -> list[dict[str, Any]]:
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


def cuts(folder: str) -> Answer:
    """The order in which a panel is cut, each cut with its tool, and what may crack. Raises `BadInput`."""
    design = read_design(folder)
    panel = design.panel or find_panel(design)
    x0, y0, x1, y1 = design.outline.bounds
    plan = plan_cuts(design, panel or single(x1 - x0, y1 - y0), [p for p in design.parts if p.populated])
    numbered = enumerate(plan.strokes, 1)
    data = {
        "cuts": [
            {
                "order": n,
                **dict(zip(("x1_mm", "y1_mm", "x2_mm", "y2_mm"), (round(v, 4) for v in s.ends), strict=True)),
                "tool": s.tool,
                "why": s.why,
                "piece_mm": [round(v, 4) for v in s.piece],
            }
            for n, s in numbered
        ],
        "care": [
            {
                "ref": s.ref,
                "cell": s.cell + 1,
                "distance_mm": round(s.away, 4),
                "across": s.across,
                "cut": s.cut,
                "level": s.level.value,
            }
            for s in plan.care
        ],
        "overhangs": [{"ref": ref, "cell": cell + 1} for ref, cell in plan.overhangs],
        "stranded_mm": [[round(v, 4) for v in piece] for piece in plan.order.stranded],
    }
    text = [f"{n:>3}  {s.tool:<8} {_line(s.ends)}  {s.why}" for n, s in enumerate(plan.strokes, 1)]
    return Answer(worst_first(judge_cuts(plan, panel)), data, "\n".join(text) or "no cuts")


def _line(ends: tuple[float, float, float, float]) -> str:
    return f"{write_point(*ends[:2], 1)} to {write_point(*ends[2:], 1)}"
