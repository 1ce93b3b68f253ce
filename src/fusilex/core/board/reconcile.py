"""Do the files belong together? Placement list, bill of materials, pads and outline against one another."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

import numpy as np
from shapely.geometry import Point, Polygon

from fusilex.core.board.bodies import body_of
from fusilex.core.board.frame import part_to_board
from fusilex.core.board.model import Design, Part
from fusilex.core.judgement import Because, Judgement, Level

NOT_BOUGHT = ("fiducial", "test", "hole")


@dataclass(frozen=True)
class Finding:
    """One disagreement. `kind`: missing, doubled, off-board, side, overlap or quantity; `where` says between which files."""

    kind: str
    ref: str
    where: str
    text: str
    x: float | None = None
    y: float | None = None
    level: Level = Level.STOP


def body_polygon(part: Part, grow: float = 0.0) -> Polygon:
    """Outline of a part's body on the board (mm), grown by `grow` on every side."""
    x, y = part.body.size_x / 2 + grow, part.body.size_y / 2 + grow
    return Polygon(part_to_board([(-x, -y), (x, -y), (x, y), (-x, y)], (part.x, part.y), part.turn, part.side))


def reconcile(design: Design) -> list[Finding]:
    """All findings, in the order of what they would cost: missing, doubled, side, off-board, overlap, quantity."""
    placed = Counter(p.ref for p in design.placements)
    listed = Counter(ref for line in design.bom for ref in line.refs)
    unfitted = {ref for line in design.bom if not line.fit for ref in line.refs}
    where = {p.ref: p for p in design.placements}
    found: list[Finding] = []
    for ref in sorted(set(listed) - set(placed) - unfitted):
        found.append(
            Finding("missing", ref, "placements", f"{ref} is on the bill of materials but not in the placement list")
        )
    if design.bom:
        for ref in sorted(set(placed) - set(listed)):
            if body_of(where[ref].body, ref).family not in NOT_BOUGHT:
                found.append(
                    Finding(
                        "missing",
                        ref,
                        "bom",
                        f"{ref} is placed but not on the bill of materials",
                        where[ref].x,
                        where[ref].y,
                    )
                )
    for ref, count in placed.items():
        if count > 1:
            found.append(
                Finding(
                    "doubled",
                    ref,
                    "placements",
                    f"{ref} stands {count} times in the placement list",
                    where[ref].x,
                    where[ref].y,
                )
            )
    for ref, count in listed.items():
        if count > 1:
            found.append(Finding("doubled", ref, "bom", f"{ref} stands on {count} places of the bill of materials"))
    for part in design.parts:
        found += _part_findings(design, part)
    found += _overlaps([p for p in design.parts if p.fitted])
    for line in design.bom:
        if line.quantity is not None and line.quantity != len(line.refs):
            found.append(
                Finding(
                    "quantity",
                    line.refs[0],
                    "bom",
                    f"line {line.line} of the bill of materials says {line.quantity} pieces "
                    f"and names {len(line.refs)} parts",
                    level=Level.CARE,
                )
            )
    order = ("missing", "doubled", "side", "off-board", "overlap", "quantity")
    return sorted(found, key=lambda f: order.index(f.kind))


def _part_findings(design: Design, part: Part) -> list[Finding]:
    found = []
    smd = [p for p in part.pads if p.drill == 0]
    if smd and all(p.side != part.side for p in smd):
        found.append(
            Finding(
                "side",
                part.ref,
                "pads",
                f"{part.ref} is listed for the {part.side} but its pads are on the other side",
                part.x,
                part.y,
            )
        )
    reach = max(part.body.size_x, part.body.size_y) / 2
    if design.outline.distance(Point(part.x, part.y)) > reach:
        found.append(
            Finding("off-board", part.ref, "outline", f"{part.ref} lies outside the board outline", part.x, part.y)
        )
    elif part.fitted and _misses_pads(design, part):
        found.append(Finding("missing", part.ref, "pads", f"{part.ref} sits on no pads of its own", part.x, part.y))
    return found


def _misses_pads(design: Design, part: Part) -> bool:
    """True when the centre of the part's pads is further than half its body away, or it has none (handbook rule)."""
    if not part.pads:
        return bool(design.pads)
    centre = np.mean([p.polygon.envelope.centroid.coords[0] for p in part.pads], axis=0)
    boxes = np.array([p.polygon.bounds for p in part.pads])
    middle = (boxes[:, :2].min(axis=0) + boxes[:, 2:].max(axis=0)) / 2
    allowed = max(0.5 * max(part.body.size_x, part.body.size_y), 0.25)
    return bool(min(np.hypot(*(centre - (part.x, part.y))), np.hypot(*(middle - (part.x, part.y)))) > allowed)


def _overlaps(parts: list[Part]) -> list[Finding]:
    import shapely

    if not parts:
        return []
    shapes = np.array([body_polygon(p, -0.05) for p in parts], dtype=object)
    a, b = shapely.STRtree(shapes).query(shapes, predicate="intersects")
    found = []
    for i, j in zip(a, b, strict=True):
        if i < j and parts[i].side == parts[j].side and parts[i].body.known and parts[j].body.known:
            found.append(
                Finding(
                    "overlap",
                    parts[i].ref,
                    parts[j].ref,
                    f"the bodies of {parts[i].ref} and {parts[j].ref} overlap",
                    parts[i].x,
                    parts[i].y,
                    Level.CARE,
                )
            )
    return found


_DO = {
    "missing": "Ask the designer which list is right before buying or placing.",
    "doubled": "Strike the line that is wrong.",
    "side": "Correct the side in the placement list.",
    "off-board": "Check the origin and unit of the placement list.",
    "overlap": "Look at both footprints on the board.",
    "quantity": "Count the designators and correct the line.",
}


def judge_files(design: Design, findings: list[Finding]) -> list[Judgement]:
    """One judgement per finding, or one go when all files agree; one for each thing that could not be checked."""
    found = [
        Judgement(
            f"ready.{f.kind}",
            f.level,
            f.ref,
            f"{f.text[0].upper()}{f.text[1:]}",
            (
                ()
                if f.x is None or f.y is None
                else (Because("at x", round(f.x, 2), "mm"), Because("y", round(f.y, 2), "mm"))
            ),
            _DO[f.kind],
            (f.ref,),
        )
        for f in findings
    ]
    if not design.bom:
        found.append(
            Judgement(
                "ready.missing",
                Level.UNKNOWN,
                "bill of materials",
                "No bill of materials to compare with",
                (),
                "Add the bill of materials to the folder and open it again.",
            )
        )
    fitted = [p for p in design.parts if p.fitted]
    if not findings and design.bom:
        found.append(
            Judgement(
                "ready.agree",
                Level.GO,
                design.name,
                "The files belong together",
                (Because("parts", len(fitted)), Because("lines", len(design.bom)), Because("pads", len(design.pads))),
            )
        )
    found += [
        Judgement("ready.note", Level.CARE, note, note, (), "Keep one of them in the folder.") for note in design.notes
    ]
    guessed = [p.ref for p in fitted if not p.body.known]
    if guessed:
        found.append(
            Judgement(
                "ready.body",
                Level.CARE,
                "bodies",
                f"{len(guessed)} bodies are not in the catalogue: size guessed",
                (Because("parts", ", ".join(guessed[:6]) + (" …" if len(guessed) > 6 else "")),),
                "Check their size on the board before trusting heights and losses.",
                tuple(guessed),
            )
        )
    return found
