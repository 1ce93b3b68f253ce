"""Apertures of a design judged beside their release, and better ones written."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from fusilex.bench.workshop.record_kinds import PasteSheet
from fusilex.bench.workshop.records import shipped
from fusilex.core.design.model import Design
from fusilex.core.judgement import Judgement
from fusilex.core.printing.apertures import Apertures, apertures_of
from fusilex.core.printing.landing import lands_of
from fusilex.core.printing.reduce import reduced, reductions
from fusilex.core.printing.risks import ground_of, judge_missing, judge_risks, judge_windows, risks
from fusilex.core.problems import BadInput
from fusilex.formats.written.paste_layer import paste_gerber
from fusilex.formats.written.whole import write_whole


def sheet_of(paste: str) -> PasteSheet:
    """A paste that ships, by its name. Raises `BadInput`."""
    there = {id: r for (what, id), r in shipped().items() if what == PasteSheet.what and isinstance(r, PasteSheet)}
    if paste not in there:
        raise BadInput("--paste", " or ".join(there), paste)
    return there[paste]


def judge_apertures(
    design: Design, apertures: Apertures, foil: float, powder: int | None, coated: bool
) -> list[Judgement]:
    """Powder, land, web, windows and apertures that are missing; what releases has judgements of its own."""
    lands = lands_of(apertures, design.pads)
    found = judge_risks(risks(ground_of(lands), foil, powder, coated), powder)
    return [*found, *judge_missing(lands, design.parts), *judge_windows(lands)]


def write_reduced(design: Design, foil: float, file: Path) -> dict[str, Any]:
    """The paste layers with all reductions that are suggested: the top's in `file`, the bottom's beside it."""
    made: dict[Path, bytes] = {}
    told: list[dict[str, Any]] = []
    for side in ("top", "bottom"):
        apertures = apertures_of(design, side)
        if not len(apertures):
            continue
        found = reductions(ground_of(lands_of(apertures, design.pads)), foil)
        polygons, names = reduced(apertures, found)
        path = file.with_name(f"{file.stem}-bottom{file.suffix}") if made else file
        made[path] = paste_gerber(polygons, names, side, design.name).encode()
        told += [
            {
                "part": r.ref or None,
                "side": side,
                "words": r.words,
                "before_mm2": float(apertures.area[list(r.drop)].sum()),
                "after_mm2": float(sum(p.area for p in r.polygons)),
            }
            for r in found
        ]
    if not made:
        raise BadInput("The design", "paste openings on a side", "none")
    write_whole(made)
    return {"reduced": told, "files": [str(path) for path in made]}
