"""Do the files belong together? Placement list, bill of materials, pads and outline against one another."""

from __future__ import annotations

from collections import Counter

import numpy as np
import shapely

from fusilex.core.checks.causes import one_for_each_cause
from fusilex.core.checks.findings import ORDER, Finding
from fusilex.core.checks.fixes import Fix
from fusilex.core.checks.panelised import panelised
from fusilex.core.checks.rotation_findings import turn_findings
from fusilex.core.checks.size_codes import size_findings
from fusilex.core.checks.systematic import (
    ON_PAD_MM,
)
from fusilex.core.checks.systematic_findings import pad_middles, size_codes_read_otherwise, systematic_findings
from fusilex.core.checks.two_lines import two_lines
from fusilex.core.design.join import sides_of_pads
from fusilex.core.design.model import Design, Part
from fusilex.core.design.outlines import package_outlines
from fusilex.core.evidence import Level
from fusilex.core.overlay import pairs_meeting
from fusilex.core.wording import say

NOT_BOUGHT = ("fiducial", "test", "hole")


def reconcile(design: Design) -> list[Finding]:
    """All findings, in the order of what they would cost. What one systematic fault explains is not listed part by
    part.
    """
    if panel := panelised(design):
        return [panel]  # all that is further wrong is an echo of it
    middles = pad_middles(design.pads)
    systematic = systematic_findings(design, middles)
    explained = {ref for f in systematic for ref in f.refs}
    renamed = _renamed(design, middles)
    told = {ref for f in renamed for ref in f.refs}
    found = [*systematic, *size_codes_read_otherwise(design), *size_findings(design), *renamed]
    found += [f for f in _listed_and_placed(design, middles) if f.ref not in told]
    found += _doubled(design, middles)
    found += [f for f in _on_pads(design, middles) if f.ref not in explained | told]
    if not systematic:
        found += turn_findings(design)
        found += _overlaps([p for p in design.parts if p.populated])
    found += two_lines(design)
    found += [
        _quantity(line.line, line.quantity, line.refs)
        for line in design.bom
        if line.quantity not in (None, len(line.refs))
    ]
    return sorted(one_for_each_cause(found, len(design.parts)), key=lambda f: ORDER.index(f.kind))


def _renamed(design: Design, middles: dict[str, tuple[float, float]]) -> list[Finding]:
    """A part that only the placement list knows, on the pads of one that only the bill of materials knows: one part,
    two names.
    """
    if not design.bom:
        return []
    placed = {p.ref: p for p in design.placements}
    listed = {ref for line in design.bom if line.populate for ref in line.refs}
    unplaced = [ref for ref in sorted(listed - set(placed)) if ref in middles]
    found = []
    for p in (placed[ref] for ref in sorted(set(placed) - listed) if ref not in middles):
        near = [r for r in unplaced if np.hypot(middles[r][0] - p.x, middles[r][1] - p.y) < ON_PAD_MM]
        if len(near) == 1:
            text = say("two names", placed=p.ref, listed=near[0])
            fix = Fix("rename", p.ref, {"to": near[0]}, f"{p.ref} of the placement list called {near[0]}")
            found.append(Finding("renamed", p.ref, "bom", text, p.x, p.y, fix=fix, refs=(p.ref, near[0])))
    return found


def _listed_and_placed(design: Design, middles: dict[str, tuple[float, float]]) -> list[Finding]:
    placed = {p.ref: p for p in design.placements}
    listed = {ref for line in design.bom for ref in line.refs}
    unfitted = {ref for line in design.bom if not line.populate for ref in line.refs}
    found = []
    side_of = sides_of_pads(design.pads)
    left = listed - set(placed) - unfitted
    leads = sorted(ref for ref in left if ref not in middles and _lead_body(design, ref))
    if leads and not any(p.package.mount == "tht" for p in design.parts):  # a list of surface-mount parts alone
        text, refs = say("leads in the BOM only", parts=tuple(leads)), tuple(leads)
        found.append(Finding("missing", "through-hole parts", "placements", text, level=Level.CARE, refs=refs))
        left -= set(leads)
    for ref in sorted(left):
        x, y = middles.get(ref, (None, None))
        fix = Fix("leave-out", ref, {}, f"{ref} left out")
        if x is not None and y is not None:
            fix = Fix(
                "at-pads",
                ref,
                {"x": x, "y": y, "side": side_of.get(ref, "top")},
                f"{ref} put on its pads, turn unknown",
            )
        text = say("not placed", ref=ref)
        found.append(Finding("missing", ref, "placements", text, x, y, fix=fix))
    if not design.bom:
        return found
    for ref in sorted((listed & set(placed)) - unfitted):
        if not placed[ref].populate:
            text = say("bought, not fitted", ref=ref)
            fix = Fix("leave-out", ref, {}, f"{ref} left out")
            found.append(Finding("populate", ref, "bom", text, placed[ref].x, placed[ref].y, Level.CARE, fix=fix))
    for ref in sorted(set(placed) - listed):
        if placed[ref].populate and design.catalogue.package(placed[ref].package, ref).family not in NOT_BOUGHT:
            text = say("not in the BOM", ref=ref)
            fix = Fix("leave-out", ref, {}, f"{ref} left out")
            found.append(Finding("missing", ref, "bom", text, placed[ref].x, placed[ref].y, fix=fix))
    return found


def _lead_body(design: Design, ref: str) -> bool:
    """True for a part whose body on the bill of materials has leads in holes."""
    return any(ref in line.refs and design.catalogue.package(line.package, ref).mount == "tht" for line in design.bom)


def _doubled(design: Design, middles: dict[str, tuple[float, float]]) -> list[Finding]:
    found = []
    for ref, count in Counter(p.ref for p in design.placements).items():
        if count > 1:
            spots = [(p.x, p.y) for p in design.placements if p.ref == ref]
            x, y = middles.get(ref, spots[0])
            keep = int(np.argmin([np.hypot(sx - x, sy - y) for sx, sy in spots]))
            fix = Fix("keep-one", ref, {"list": "placements", "keep": keep}, f"{ref} kept where its pads are")
            text = say("placed twice", ref=ref, count=count)
            found.append(Finding("doubled", ref, "placements", text, *spots[0], fix=fix))
    for ref, count in Counter(ref for line in design.bom for ref in line.refs).items():
        if count > 1:
            fix = Fix("keep-one", ref, {"list": "bom", "keep": 0}, f"{ref} kept where it stands first")
            text = say("listed twice", ref=ref, count=count)
            found.append(Finding("doubled", ref, "bom", text, fix=fix))
    return found


def _on_pads(design: Design, middles: dict[str, tuple[float, float]]) -> list[Finding]:
    """Parts on the wrong side, outside the outline, or off their pads (handbook rule: further than half the body)."""
    if not design.parts:
        return []
    at = shapely.points([[p.x, p.y] for p in design.parts])
    outside = shapely.distance(shapely.Polygon(design.outline.exterior), at)  # a part may stand over a cut-out
    side_of = sides_of_pads(design.pads)
    found = []
    for part, beyond in zip(design.parts, outside.tolist(), strict=True):
        told = side_of.get(part.ref)
        if told is not None and told != part.side:
            text = say("other side", ref=part.ref, side=part.side)
            fix = Fix("side", part.ref, {"side": told}, f"{part.ref} moved to the {told}")
            found.append(Finding("side", part.ref, "pads", text, part.x, part.y, fix=fix))
        home = middles.get(part.ref)
        fix = Fix("leave-out", part.ref, {}, f"{part.ref} left out")
        if home is not None:
            side = told or part.side
            fix = Fix("at-pads", part.ref, {"x": home[0], "y": home[1], "side": side}, f"{part.ref} put on its pads")
        if beyond > max(part.package.size_x, part.package.size_y) / 2:
            text = say("outside", ref=part.ref)
            found.append(Finding("off-board", part.ref, "outline", text, part.x, part.y, fix=fix))
        elif part.populated and _misses_pads(design, part, home):
            text = say("no pads", ref=part.ref)
            found.append(Finding("missing", part.ref, "pads", text, part.x, part.y, fix=fix))
    return found


def _misses_pads(design: Design, part: Part, home: tuple[float, float] | None) -> bool:
    """True when the centre of the part's pads is further than half its body away, or it has none (handbook rule)."""
    if not part.pads or home is None:
        return bool(design.pads)
    allowed = max(0.5 * max(part.package.size_x, part.package.size_y), 0.25)
    if np.hypot(home[0] - part.x, home[1] - part.y) <= allowed:
        return False
    centre = np.mean([p.polygon.envelope.centroid.coords[0] for p in part.pads], axis=0)
    return bool(np.hypot(*(centre - (part.x, part.y))) > allowed)


OVERLAP_MM = 0.1
"""Bodies overlap by more than this, or not at all: sheets round."""
MOST_PAIRS = 2_000
"""Overlapping bodies that are named."""


def _overlaps(parts: list[Part]) -> list[Finding]:
    """Pairs of bodies that overlap; of heaps only the first ones, for a heap is one mistake."""
    known = [part for part in parts if part.package.known]
    found: list[Finding] = []
    for side in ("top", "bottom"):
        here = [part for part in known if part.side == side]
        for i, j in pairs_meeting(package_outlines(here, -OVERLAP_MM / 2), MOST_PAIRS - len(found)) if here else ():
            text = say("overlap", first=here[i].ref, second=here[j].ref)
            fix = Fix("leave-out", here[j].ref, {}, f"{here[j].ref} left out")
            found.append(Finding("overlap", here[i].ref, here[j].ref, text, here[i].x, here[i].y, Level.CARE, fix=fix))
    return found


def _quantity(line: int, quantity: int | None, refs: tuple[str, ...]) -> Finding:
    text = say("differs", line=line, quantity=quantity, named=len(refs))
    fix = Fix("count-names", refs[0], {"line": line}, f"line {line} counted by its names: {len(refs)}")
    return Finding("quantity", refs[0], "bom", text, level=Level.CARE, fix=fix)
